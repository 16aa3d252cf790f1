"""Several targets at once, as a table."""

from __future__ import annotations

from rich.console import RenderableType
from rich.text import Text

from ulterion.core.units import show_percent, show_rate
from ulterion.features.measure.concurrent_words import gives_way
from ulterion.run.observers import Shared
from ulterion.show.columns import align_points
from ulterion.show.terminal import Cells, TableBlock, bullet_list, table


def sharing_table(shared: Shared, unit: str) -> list[RenderableType]:
    """Return, for each workload, every target alone and together, the total and the fairness."""
    shown: list[RenderableType] = []
    for text, share in shared.workloads.items():
        alone = [show_rate(r, unit, with_unit=False) for r in (*share.alone, sum(share.alone))]
        together = [show_rate(r, unit, with_unit=False) for r in (*share.together, share.total)]
        kept = [show_percent(k) for k in (*share.kept, share.total / sum(share.alone))]
        names = [*shared.targets, "all"]
        rows: list[Cells] = [
            [Text(name, style="name"), a, t, k]
            for name, a, t, k in zip(names, align_points(alone), align_points(together), kept, strict=True)
        ]
        columns = [("target", "left"), (f"alone, {unit}", "right"), (f"together, {unit}", "right"), ("kept", "right")]
        shown += [*([Text("")] if shown else []), Text(text, style="head"), table(columns, rows)]
        shown.append(Text(gives_way(shared.targets, share.kept)))
        shown.append(Text(f"fairness {share.fairness:.2f} (1 when all keep the same share)"))
    kept_in = TableBlock([Text(f"kept in {path}", style="muted") for path in shared.paths], cut=False)
    return [*shown, *bullet_list("Keep in mind", shared.failures), Text(""), kept_in]
