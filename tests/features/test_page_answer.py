"""The first screen of a page: headline, lead, alarms and tables; the reader's own case, chains, chapters and photographs; on the demo, its matrix, and any verdicts."""

from __future__ import annotations

import io
import json
import math
import re
import unittest
from html import unescape
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from tests.support import REVIEW, FolderCase, simulate
from ulterion.core.errors import UsageError
from ulterion.core.estimates.transfer_time import End, Piece, parts_of
from ulterion.core.stats.estimates import Ratio
from ulterion.core.stats.verdicts import ClaimJudgement, ClaimVerdict
from ulterion.features.claims.row import ClaimRow
from ulterion.features.claims.speedup import RivalRow, RivalVerdict
from ulterion.features.page.answer_table import first_screen
from ulterion.features.page.article import Alarm, AnswerTable, Headline, YourCase
from ulterion.features.page.build import composed_of
from ulterion.features.page.case import _course, your_case
from ulterion.features.page.drawn import case_table
from ulterion.features.page.findings import (
    Kept,
    ProductFinding,
    _chip,
    _claims,
    _kept,
    _missed,
    _slower_than_claimed,
    product_findings,
)
from ulterion.features.page.headline import (
    MAX_HEADLINE,
    MAX_LEAD,
    NUMBERS,
    _broken,
    headline,
    lead,
    number_word,
    view_title,
)
from ulterion.features.page.inputs import ReportInputs
from ulterion.features.page.subjects import Subject, SubjectRate
from ulterion.features.soak.charts import soaks_chart
from ulterion.model.photographs import MAX_SIDE, prepared
from ulterion.show.charts import MAX_TITLE
from ulterion.show.looks import Cast
from ulterion.show.sentences import NO_ARTICLE, with_article

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
        ),
        st.lists(st.sampled_from(("met", "missed", "partly", "undecided")), max_size=2),
    )
    def test_a_verdict_says_only_what_is_so(
        self, claims: dict[str, tuple[ClaimVerdict, float]], beside: list[RivalVerdict]
    ) -> None:
        """It keeps its word only where every claim is met, and none of it only where every one is missed; no two words contradict."""
        rows = [row(claim, verdict, share) for claim, (verdict, share) in claims.items()]
        known = Ratio(2.0, 1.9, 2.1, None, None, 4)
        rivals = [RivalRow("a", "b", 3.0, None, v, ("x", known), ("a", "b"), ("x",), 4) for v in beside]
        every = [*(verdict for verdict, _ in claims.values()), *beside]
        verdicts = {*every}
        kept, (tone, chip) = _kept(every), _chip(rows, every, [])
        self.assertEqual(kept == "all", verdicts == {"met"})
        self.assertEqual(kept == "none", verdicts == {"missed"})
        verdict, share = claims.get("capacity", ("", 1.0))
        self.assertEqual("fake" in chip, verdict == "missed" and share < 0.9)
        if "part of it" in chip:
            self.assertTrue("partly" in verdicts or "met" in verdicts)
        self.assertFalse(tone == "good" and verdicts & {"missed", "partly"})
        told = " ".join(_claims(every, [*_missed(rows), *_slower_than_claimed(rivals, {"b": "B"})]))
        self.assertEqual(told.count("times as fast as B"), sum(v in ("missed", "partly") for v in beside))
        for claim, (verdict, _) in claims.items():
            if verdict in ("missed", "partly"):
                self.assertIn("linked" if claim == "link" else claim, told)
        if "met" not in verdicts:
            self.assertNotIn("hold", told)

    @given(
        st.dictionaries(
            st.text("abcdefgh ", min_size=1, max_size=30).filter(lambda t: t.strip() == t),
            st.tuples(st.just(0.0) | st.floats(1e6, 1e10), st.sampled_from(("met", "missed", "undecided", ""))),
            min_size=1,
            max_size=12,
        )
    )
    def test_a_table_is_titled_by_what_is_so(self, known: dict[str, tuple[float, str]]) -> None:
        """It counts those that are as fast as claimed only where every one was judged; it is never too long."""
        rates = {
            n: SubjectRate(r, 1e9 if v else None, f"{r / 1e6:.0f} MB/s", f"{r / 1e6:.0f} MB/s", v)
            for n, (r, v) in known.items()
        }
        title = view_title("drive", "read", rates, 0.03)
        self.assertLessEqual(len(title), MAX_TITLE)
        verdicts = [v for _, v in known.values()]
        if "as fast as claimed" in title:
            self.assertLessEqual(set(verdicts), {"met", "missed"})
            met, words = verdicts.count("met"), title.split()[0].casefold()
            self.assertEqual(words in ("all", "both"), met == len(known))
            if met < len(known):
                self.assertEqual(words, NUMBERS[met] if met and met < len(NUMBERS) else "none" if not met else str(met))

    @given(st.lists(st.sampled_from(("none", "some", "misses", "open", "all")), min_size=1, max_size=12))
    def test_broken_claims_are_counted(self, kept: list[Kept]) -> None:
        """Where some keep none of their claims, the sentence counts them, and says 'none of all' only where no rival keeps any."""
        found = [
            ProductFinding(Subject(f"k{n}", f"Box {n}", "case", ""), one, "none", "", ()) for n, one in enumerate(kept)
        ]
        broken = [f for f in found if f.kept == "none"]
        if not broken:
            return
        told = _broken(found, broken[0])
        self.assertLessEqual(len(told), MAX_HEADLINE)
        self.assertEqual(told.startswith("None of"), len(broken) == len(kept) > 1)
        if 1 < len(broken) < len(kept):
            self.assertTrue(told.casefold().startswith(f"{number_word(len(broken))} of {number_word(len(kept))} cases"))

    @given(
        st.lists(st.tuples(st.floats(1e6, 1e11), st.floats(1e6, 5e9)), max_size=40),
        st.floats(1e6, 5e9),
        st.floats(1e6, 3e12),
    )
    def test_the_reader_gets_the_times_of_the_tables(
        self, pieces: list[tuple[float, float]], rest: float, size: float
    ) -> None:
        """A course with fewer pieces, as the page has it, takes as long as the whole one, whatever the amount."""
        end = End("box", rest, 0.01, tuple(Piece(b, r, "") for b, r in pieces), Piece(float("inf"), rest, ""))
        wanted = sum(p.seconds for p in parts_of(size, [end]))
        short, last = _course(end)
        left, seconds = size, 0.0
        for moved, rate in short:
            step = min(left, moved)
            seconds, left = seconds + step / rate, left - step
        self.assertAlmostEqual((seconds + left / last) / wanted, 1.0, delta=0.04)


class Pages(FolderCase):
    def test_the_demo(self) -> None:
        """Headline, lead, alarms and products; nothing tells a reader what to type; every product under test has its row."""
        folder = self.opened(self.demo())
        inputs = ReportInputs(folder)
        first, *rest = first_screen(inputs)
        assert isinstance(first, Headline)
        self.assertEqual(
            first.words, "The €34 Brindlewick Pod keeps its word. The €17 Hollowbeck Slip keeps none of it."
        )
        self.assertTrue(first.lead.startswith("Of three enclosures, only Brindlewick Pod met every claim, and held"))
        self.assertLessEqual(len(first.lead.split()), MAX_LEAD)
        self.assertIn("19 runs, checkable", first.line)
        self.assertEqual(
            [b.words for b in rest if isinstance(b, Alarm)],
            [
                "Hollowbeck Slip is sold as USB 10 Gb/s and links at USB 5 Gb/s.",
                "Do not buy Crumble Chip 256 GB: only 16.0 GB of its 256 GB is real (6.25%).",
            ],
        )
        tables = [b for b in rest if isinstance(b, AnswerTable)]
        views = {v.measure: v for v in tables[0].views}
        self.assertEqual(list(views), ["read", "write", "small"])
        self.assertEqual(views["read"].title, "Two of three read as fast as claimed; Hollowbeck Slip reaches 40%")
        self.assertEqual(
            [r.name for r in views["read"].rows], ["Brindlewick Pod", "Quillmere Draught", "Hollowbeck Slip"]
        )
        self.assertEqual([r.pick for r in views["read"].rows], [True, False, False])
        named = {r.name for t in tables for v in t.views for r in v.rows}
        claiming = {p.name for k, p in folder.review.parts.items() if any(c.part == k for c in inputs.claims)}
        self.assertLessEqual(claiming, named)
        for one in (r for t in tables for v in t.views for r in v.rows if r.bar is not None):
            assert one.bar is not None
            self.assertLessEqual(max(one.bar.value, one.bar.mark or 0.0), one.most)
        self.ulterion("report", cwd=folder.path)
        page = (folder.path / "report.html").read_text()
        shown = unescape(re.sub(r"<script.*?</script>|<style.*?</style>", "", page, flags=re.DOTALL))
        self.assertNotRegex(shown, r"\bulterion (measure|soak|note|plan|compare|claims)\b")
        self.assertEqual(shown.count("<h1"), 1)
        before, details = shown.split('id="details"')
        self.assertIn('<section id="soaks"', before)
        self.assertIn('id="claims"', details)
        run = inputs.every[0].id
        self.assertNotIn(run, before)
        self.assertIn(run, details)

    def test_a_matrix_answers_its_question(self) -> None:
        """The headline of a plan's page is who is first, and the lead says what its strongest level does."""
        inputs = ReportInputs(self.opened(self.demo("matrix", plan=True)))
        found = product_findings(inputs)
        self.assertEqual(headline(inputs, found), "Brindlewick Pod is first or tied at every workload.")
        self.assertLessEqual(len(headline(inputs, found)), MAX_HEADLINE)
        self.assertIn("Hollowbeck Slip is 60% slower than Brindlewick Pod", lead(inputs, found))

    def test_ports_of_a_machine(self) -> None:
        """A drive in two ports: the slower one is the headline; no port is recommended, as none can be bought."""
        head = REVIEW[: REVIEW.index("[setups.direct]")]
        ports = "".join(
            f'[setups.{name}]\nchain = ["b:{name}", "drive"]\ntarget = "sim:bench.toml"\n' for name in ("fast", "usb")
        )
        folder = self.review(head.replace('[ports."b:usb"]\n', '[ports."b:usb"]\nname = "front port"\n') + ports)
        for name in ("fast", "usb"):
            simulate(folder, name)
        folder = self.opened()
        first, *tables = first_screen(ReportInputs(folder))
        assert isinstance(first, Headline)
        self.assertRegex(first.words, r"^The front port reads \d\d% slower than b:fast\.$")
        rows = [r for t in tables if isinstance(t, AnswerTable) and t.kind == "Ports" for v in t.views for r in v.rows]
        self.assertEqual({(r.name, r.pick) for r in rows}, {("b:fast", False), ("front port", False)})

    def test_timings_alone(self) -> None:
        """Readers that a stopwatch timed have their rows, their rates and a headline of their own."""
        times = self.folder / "times"
        self.ulterion("new", str(times))
        for setup, seconds in (("old reader", "185 s"), ("new reader", "52 s")):
            self.assertEqual(self.ulterion("clock", f"2.6 GB in {seconds}", "--as", setup, cwd=times).returncode, 0)
        first, table = first_screen(ReportInputs(self.opened(times)))
        assert isinstance(first, Headline)
        assert isinstance(table, AnswerTable)
        self.assertEqual(first.words, "The new reader is 3.6 times as fast as the old reader.")
        (view,) = table.views
        self.assertEqual(
            [(r.name, r.rate) for r in view.rows],
            [("new reader", "50.0 MB/s, by hand"), ("old reader", "14.1 MB/s, by hand")],
        )
        self.assertRegex(first.line, r"^timed by hand on \d{4}-\d\d-\d\d; 2 runs, checkable$")
        self.assertFalse(view.claimed or view.courses, "columns for what nobody has are left out")

    def test_the_reviewers_own(self) -> None:
        """His verdict, words, photographs and order of sections; what he leaves out is not there; names that nothing has are told; it verifies."""
        folder = self.demo(only=("direct", "pod", "slip"))
        text = (folder / "review.toml").read_text()
        text = text.replace("[parts.pod]\n", '[parts.pod]\nverdict = "My favourite."\n')
        (folder / "review.toml").write_text(
            f'{text}\n[report]\norder = ["claims", "nothing"]\nwithout = ["limits", "slip"]\nfont = "Georgia, serif"\naddress = "https://example.org/kit/"\n'
        )
        (folder / "remarks").mkdir()
        (folder / "remarks/pod.md").write_text("Warm in the **hand**.")
        (folder / "photos").mkdir()
        picture = Image.new("RGB", (3000, 1000), "#808080")
        facts = picture.getexif()
        facts[0x010F] = "A camera that tells"
        picture.save(folder / "photos/pod-inside.jpg", exif=facts)
        told = self.ulterion("report", cwd=folder)
        self.assertEqual(told.returncode, 0, told.stderr)
        self.assertIn("no section is called 'nothing'", told.stderr)
        page = (folder / "report.html").read_text()
        for words in (
            "My favourite.",
            "Warm in the <strong>hand</strong>.",
            'alt="Brindlewick Pod: inside"',
            "Georgia, serif",
        ):
            self.assertIn(words, page)
        self.assertIn('content="https://example.org/kit/report-card.png"', page)
        self.assertLess(page.index('<section id="claims"'), page.index('<section id="soaks"'))
        self.assertNotIn('id="limits"', page)
        self.assertNotIn('id="product-slip"', page)
        self.assertEqual(self.ulterion("verify", ".", cwd=folder).returncode, 0)
        photo = re.search(r'data-file="photos/pod-inside.jpg" src="data:image/jpeg;base64,([^"]{2000})', page)
        assert photo is not None
        changed = photo[1][:-4] + ("AAAA" if photo[1][-4:] != "AAAA" else "BBBB")
        (folder / "changed.html").write_text(page.replace(photo[1], changed))
        self.assertIn(
            "photos/pod-inside.jpg", " ".join(self.json_of("verify", "changed.html", cwd=folder, status=4)["different"])
        )

    def test_a_picture_of_somebody_elses_stays(self) -> None:
        """The page is made all the same, and it is said why it has no picture."""
        folder, self.cards = self.demo(only=("direct",)), True
        (folder / "report-card.png").write_bytes(b"mine")
        told = self.ulterion("report", "--json", cwd=folder)
        self.assertEqual(told.returncode, 0, told.stderr)
        self.assertIsNone(json.loads(told.stdout)["picture"])
        self.assertRegex(told.stderr, "the page has no picture for sharing: .*report-card.png")
        self.assertEqual((folder / "report-card.png").read_bytes(), b"mine")

    def test_damaged_files_are_told_first(self) -> None:
        """They are an alarm of the setup; nothing it tests is recommended, whatever it claims, nor accused by name."""
        inputs = ReportInputs(self.opened(self.demo()))
        passes = [SimpleNamespace(wrong_count=1), SimpleNamespace(wrong_count=2)]
        copied = SimpleNamespace(setup="pod", copied=SimpleNamespace(passes=passes))
        with mock.patch("ulterion.features.page.findings.counted", return_value=[copied]):
            first, *rest = first_screen(inputs)
        assert isinstance(first, Headline)
        alarms = [b.words for b in rest if isinstance(b, Alarm)]
        self.assertEqual(alarms[0], "3 files copied over Brindlewick Pod arrived damaged.")
        self.assertNotIn("Pod keeps its word", first.words)
        self.assertFalse(
            any(r.pick for t in rest if isinstance(t, AnswerTable) for r in t.views[0].rows if "Pod" in r.name)
        )

    def test_a_fragment(self) -> None:
        """What goes into another page stands in a tree of its own, so that no style or name clashes, and has no runs."""
        folder = self.demo(only=("direct", "pod"))
        self.assertEqual(self.ulterion("report", "part.html", "--fragment", cwd=folder).returncode, 0)
        text = (folder / "part.html").read_text()
        self.assertRegex(text, r'^<div class="ulterion" data-made-by="[^"]*"><template shadowrootmode="open">')
        self.assertNotRegex(text, r"<html|<body|<main|<h1|id=\"runs\"")
        self.assertNotRegex(text[: text.index("</style>")], r"(?<![\w-])body|:root")
        self.assertEqual(self.ulterion("report", "part.html", "--fragment", cwd=folder).returncode, 0)

    def test_chapters_and_chains(self) -> None:
        """Every product has its chapter; a chain names its bottleneck, and only suspects where they cannot be told apart."""
        made = composed_of(self.opened(self.demo()), {}, "MB/s").article
        self.assertEqual(made.chapters[2].title, "Brindlewick Pod, €34")
        limits = next(s for s in made.sections if s.name == "limits").blocks[0]
        strips = {s.name: s for s in limits.strips}  # type: ignore[union-attr]
        self.assertEqual([link.role for link in strips["Hollowbeck Slip"].links], ["", "limit", ""])
        self.assertEqual([link.role for link in strips["Brindlewick Pod"].links], ["suspect", "suspect", ""])

    def test_the_readers_own_case(self) -> None:
        """A card that holds less than the amount keeps its row: the script shows it where a smaller amount fits."""
        inputs = ReportInputs(self.opened(self.demo()))
        (section,) = your_case(inputs)
        case = section.blocks[0]
        assert isinstance(case, YourCase)
        fits = {e.name: math.isfinite(e.seconds) for e in case.ends if e.way == "write"}
        self.assertEqual((fits["Brindlewick Pod"], fits["Merrowgate Spool 128 GB"]), (True, False))
        rows = re.findall(r"<tr (.*?)</tr>", case_table(case, "write", ""), re.DOTALL)
        self.assertEqual(sum("does not fit" in row for row in rows), sum(not f for f in fits.values()))
        self.assertIn("Cache and heat", case.basis("write"))
        self.assertEqual(case.basis("read"), "", "no long run was read")

    def test_what_a_part_costs(self) -> None:
        """A hub that was measured with and without is judged by that; heat is the finding of the long runs where it slowed only one."""
        inputs = ReportInputs(self.opened(self.demo()))
        said = {f.subject.key: f.said for f in product_findings(inputs)}
        self.assertIn("its cost: under 3% in 4 of 9 tests; 5 undecided", said["h4"])
        runs = [s for s in inputs.soaks if s.run.setup in ("pod", "draught", "slip")]
        title = soaks_chart(runs, "MB/s", cast=Cast.of(inputs.review)).caption.title
        self.assertEqual(title, "Heat slows only Hollowbeck Slip, after 6 min 14 s, to 48% of its speed")
        self.assertNotIn("Heat", soaks_chart(runs[:2], "MB/s", cast=Cast.of(inputs.review)).caption.title)


class Names(unittest.TestCase):
    @given(st.sampled_from(sorted(NO_ARTICLE)), st.text("abcdefghij", min_size=1), st.text("ABC0:", min_size=1))
    def test_articles(self, first: str, plain: str, name: str) -> None:
        """What is called by plain words gets an article, once; names, ports and phrases get none."""
        self.assertEqual(with_article(f"{first} {plain}"), f"{first} {plain}")
        self.assertEqual(with_article(f"{name}{plain}"), f"{name}{plain}")
        once = with_article(plain)
        self.assertEqual(with_article(once), once)
        self.assertEqual(once, plain if plain in NO_ARTICLE else f"the {plain}")


class Photographs(unittest.TestCase):
    @given(st.integers(1, 4000), st.integers(1, 2500), st.sampled_from(["JPEG", "PNG", "WEBP"]), st.integers(1, 8))
    def test_what_is_published(self, width: int, height: int, form: str, turned: int) -> None:
        """Small enough, without what a camera writes, and the same when it is prepared again."""
        picture, data = Image.new("RGB", (width, height), "#446688"), io.BytesIO()
        facts = picture.getexif()
        facts[0x0112], facts[0x010F] = turned, "A camera that tells"
        picture.save(data, form, exif=facts)
        once = prepared(data.getvalue(), "photos/x")
        self.assertEqual(prepared(once, "photos/x"), once)
        self.assertNotIn(b"A camera that tells", once)
        with Image.open(io.BytesIO(once)) as shown:
            self.assertLessEqual(max(shown.size), MAX_SIDE)
            upright = (height, width) if turned > 4 else (width, height)
            for side, was in zip(shown.size, upright, strict=True):  # to a pixel
                self.assertAlmostEqual(side, was * min(1.0, MAX_SIDE / max(upright)), delta=1.0)

    @given(st.binary(max_size=400))
    def test_what_is_none(self, data: bytes) -> None:
        with self.assertRaises(UsageError):
            prepared(data, str(Path("photos/x.jpg")))


if __name__ == "__main__":
    unittest.main()
