"""What only a page draws: the small line of a long run, and the reader's own case as bars that a script changes."""

from __future__ import annotations

import json
import math

from markupsafe import Markup

from ulterion.features.page.article import AnswerRow, CaseEnd, YourCase
from ulterion.show.charts import Bar
from ulterion.show.web.bars import bar
from ulterion.show.web.elements import element, points, shade_class

WIDE, TALL = 100, 30  # units of the small line


def course(row: AnswerRow) -> Markup:
    """Return the small line of a product's long run; nothing without one."""
    if not row.course:
        return Markup("")
    step = WIDE / max(len(row.course) - 1, 1)
    pairs = [(n * step, TALL - 1 - (TALL - 2) * share) for n, share in enumerate(row.course)]
    line = element("polyline", class_=shade_class(row.bar.shade if row.bar else 0, "l"), points=points(pairs))
    words = f"from {row.course[0] * 100:.0f}% to {row.course[-1] * 100:.0f}% of the highest rate"
    return element(
        "svg",
        line,
        class_="course",
        viewBox=f"0 0 {WIDE} {TALL}",
        preserveAspectRatio="none",
        role="img",
        aria_label=f"long run of {row.name}: {words}",
    )


def case_table(case: YourCase, way: str, what: str) -> Markup:
    """Return the times of one direction as bars, each with its measured course for the script; nothing where none was measured."""
    ends = [e for e in case.ends if e.way == way]
    most = max((e.seconds for e in ends if math.isfinite(e.seconds)), default=1.0)
    rows = [_case_row(end, case.size, most) for end in ends]
    heads = element("thead", element("tr", *(element("th", h, scope="col") for h in ("setup", "bar", "time"))))
    amount = element("span", case.size_words, class_="amount")  # which the script changes
    return element(
        "table",
        element("caption", amount, f" {what}", class_="unseen"),
        heads,
        element("tbody", *rows),
        class_="bars case",
    )


def _case_row(end: CaseEnd, size: float, most: float) -> Markup:
    fits = math.isfinite(end.seconds)
    shown = Bar(end.name, end.seconds if fits else 0.0, end.text, shade=end.shade)
    data = {"p": end.pieces, "r": end.rest, "h": end.holds, "l": None if end.long == math.inf else end.long}
    where = ", ".join(w for w in (end.medium, end.port) if w)
    beyond = fits and end.long is not None and end.long < size
    return element(
        "tr",
        element("th", end.name, element("small", where) if where else "", scope="row"),
        element("td", bar(shown, most), class_="scale"),
        element("td", f"{end.text}{' *' if beyond else ''}" if fits else "does not fit"),
        data_case=json.dumps(data, separators=(",", ":")),
        data_port=end.port,
    )
