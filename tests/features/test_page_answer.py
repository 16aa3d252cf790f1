"""The first screen of a page: its headline, the table of products, and what must be said first; on the demo, its matrix, and any verdicts."""

from __future__ import annotations

import re
import unittest
from html import unescape

from hypothesis import given
from hypothesis import strategies as st

from tests.support import FolderCase
from ulterion.core.stats.verdicts import ClaimJudgement, ClaimVerdict
from ulterion.features.claims.row import ClaimRow
from ulterion.features.page.answer_table import first_screen
from ulterion.features.page.findings import MAX_HEADLINE, _chip, _claims, _kept, headline, product_findings
from ulterion.features.page.inputs import ReportInputs
from ulterion.show.blocks import Alarm, AnswerTable, Headline

CLAIMS = ("read", "write", "capacity", "link")


def row(claim: str, verdict: ClaimVerdict, share: float) -> ClaimRow:
    """Return a claim that came out so."""
    unit = {"capacity": "B", "link": "link"}.get(claim, "B/s")
    return ClaimRow(
        part="box",
        label="Box",
        claim=claim,
        unit=unit,
        claimed=1e9,
        judgement=ClaimJudgement(verdict, share),
        measured=share * 1e9,
    )  # type: ignore[arg-type]


class Verdicts(unittest.TestCase):
    @given(
        st.dictionaries(
            st.sampled_from(CLAIMS),
            st.tuples(st.sampled_from(("met", "missed", "partly", "undecided")), st.floats(0.01, 1.5)),
            min_size=1,
        )
    )
    def test_a_verdict_says_only_what_is_so(self, claims: dict[str, tuple[ClaimVerdict, float]]) -> None:
        """It keeps its word only where every claim is met, and none of it only where every one is missed; no two words contradict."""
        rows = [row(claim, verdict, share) for claim, (verdict, share) in claims.items()]
        verdicts = {verdict for verdict, _ in claims.values()}
        kept, (tone, chip) = _kept(rows), _chip(rows, _kept(rows), [])
        self.assertEqual(kept == "all", verdicts == {"met"})
        self.assertEqual(kept == "none", verdicts == {"missed"})
        verdict, share = claims.get("capacity", ("", 1.0))
        self.assertEqual("fake" in chip, verdict == "missed" and share < 0.9)
        if "part of it" in chip:
            self.assertTrue("partly" in verdicts or "met" in verdicts)
        self.assertFalse(tone == "good" and verdicts & {"missed", "partly"})
        told = " ".join(_claims(rows, kept))
        for claim, (verdict, _) in claims.items():
            if verdict in ("missed", "partly"):
                self.assertIn("linked" if claim == "link" else claim, told)
        if "met" not in verdicts:
            self.assertNotIn("hold", told)


class Pages(FolderCase):
    def test_the_demo(self) -> None:
        """Headline, alarm and products; nothing tells a reader what to type; every product under test has its row."""
        folder = self.opened(self.demo())
        inputs = ReportInputs(folder)
        first, *rest = first_screen(inputs)
        assert isinstance(first, Headline)
        self.assertEqual(
            first.words, "The 34 EUR Brindlewick Pod keeps its word. The 17 EUR Hollowbeck Slip keeps none of it."
        )
        self.assertIn("19 runs, checkable", first.line)
        self.assertEqual(
            [b.words for b in rest if isinstance(b, Alarm)],
            ["Do not buy Crumble Chip 256 GB: only 16.0 GB of its 256 GB are there (6.25%)."],
        )
        tables = [b for b in rest if isinstance(b, AnswerTable)]
        self.assertEqual([r.name for r in tables[0].rows], ["Quillmere Draught", "Brindlewick Pod", "Hollowbeck Slip"])
        named = {r.name for t in tables for r in t.rows}
        claiming = {p.name for k, p in folder.review.parts.items() if any(c.part == k for c in inputs.claims)}
        self.assertLessEqual(claiming, named)
        for table in tables:
            for one in table.rows:
                self.assertLessEqual(max(one.measured or 0.0, one.claimed or 0.0), table.most)
        self.ulterion("report", cwd=folder.path)
        page = (folder.path / "report.html").read_text()
        shown = unescape(re.sub(r"<script.*?</script>|<style.*?</style>", "", page, flags=re.DOTALL))
        self.assertNotRegex(shown, r"\bulterion (measure|soak|note|plan|compare|claims)\b")
        self.assertEqual(shown.count("<h1>"), 1)
        self.assertIn('<details class="section" id="claims">', shown)
        self.assertIn('<section id="soaks"', shown)

    def test_a_matrix_answers_its_question(self) -> None:
        """The headline of a plan's page is who is first."""
        inputs = ReportInputs(self.opened(self.demo("matrix", plan=True)))
        told = headline(inputs, product_findings(inputs))
        self.assertEqual(told, "Brindlewick Pod is first at every workload.")
        self.assertLessEqual(len(told), MAX_HEADLINE)

    def test_words_of_the_reviewer_come_first(self) -> None:
        """A verdict of his own stands in the table in place of what is made."""
        folder = self.demo()
        text = (folder / "review.toml").read_text()
        (folder / "review.toml").write_text(text.replace("[parts.pod]\n", '[parts.pod]\nverdict = "My favourite."\n'))
        told = {f.part: f.told for f in product_findings(ReportInputs(self.opened(folder)))}
        self.assertEqual(told["pod"], "My favourite.")
        self.assertIn("Heat slowed it after", told["slip"])


if __name__ == "__main__":
    unittest.main()
