"""`report`, `verify`, `export`: one page from the demo that can be checked, nothing hostile in it, tables that read back equal."""

from __future__ import annotations

import csv
import html.parser
import io
import json
import random
import re
import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np
import pandas as pd
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from tests.support import BENCH, REVIEW, FolderCase, simulate
from ulterion.api import load_review
from ulterion.cli.export_tables import as_csv, as_html, as_markdown
from ulterion.core.errors import UsageError
from ulterion.features.page import verify
from ulterion.features.page.html import CONTRAST, contrast, in_script, markdown, readable
from ulterion.model import bundle
from ulterion.model.runs.header import run_id

HOSTILE = '"><script>alert(1)</script>&\u202e\x1b[31m=cmd()'


class Page(html.parser.HTMLParser):
    """What a page holds: its elements, and addresses that something might be fetched from."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.addresses: list[str] = []
        self.without_alternative = 0
        self.handlers: list[str] = []
        self.names: list[str] = []
        self.links: list[str] = []
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)
        known = dict(attrs)
        self.names += [known["id"] or ""] if "id" in known else []
        self.links += [known["href"] or ""] if tag == "a" and "href" in known else []
        self.addresses += [v or "" for k, v in attrs if k in ("src", "srcset", "data", "poster", "action")]
        self.handlers += [k for k, _ in attrs if k.startswith("on")]
        if tag == "img" and not known.get("alt"):
            self.without_alternative += 1


_reported: list[Path] = []


class Report(FolderCase):
    def reported(self) -> Path:
        """Return the demo's folder with its page, made once; not to be changed."""
        if not _reported:
            folder = Path(tempfile.mkdtemp(prefix="ulterion-tests-report-"))
            self.addClassCleanup(shutil.rmtree, folder)
            shutil.copytree(self.demo(), folder / "demo")
            self.cards = True
            done = self.ulterion("report", cwd=folder / "demo")
            self.assertEqual(done.returncode, 0, done.stderr)
            _reported.append(folder / "demo")
        return _reported[0]

    def small(self) -> Path:
        """Return a review of two setups with its page."""
        store = self.review()
        for setup in ("direct", "box"):
            simulate(store, setup, passes=3)
        self.assertEqual(self.ulterion("report").returncode, 0)
        return self.folder / "report.html"

    def test_the_demos_page(self) -> None:
        """Every section, figures with words for them, nothing fetched, small enough; made again it is the same, and verified so."""
        folder = self.reported()
        text = (folder / "report.html").read_text()
        page = Page(text)
        self.assertLess(text.index('id="runs"'), 300_000)  # all but the runs, which come last
        for name in ("soaks", "case", "limits", "products", "product-pod", "tested", "compare-reed", "claims", "work"):
            self.assertIn(f'id="{name}"', text)
        self.assertEqual(page.addresses, [])
        self.assertEqual((page.without_alternative, page.handlers), (0, []))
        self.assertEqual(len(set(page.names)), len(page.names))
        self.assertLessEqual({a.removeprefix("#") for a in page.links}, {*page.names, ""})
        self.assertIn("default-src 'none'", text)
        self.assertNotRegex(text, r'(?:href|src)="https?:|style="')
        self.assertEqual(page.tags.count("table"), page.tags.count("caption"))
        self.assertTrue((folder / "report-card.png").is_file())
        with Image.open(folder / "report-card.png") as picture:
            self.assertEqual(picture.size, (2400, 1260))
        told = self.json_of("verify", "report.html", cwd=folder)
        self.assertEqual((told["same"], told["different"]), (True, []))

    def test_figures_as_files(self) -> None:
        """Each as SVG and PNG, light and dark, in the sizes asked for, with captions and words for those who do not see them."""
        self.small()
        told = self.json_of("report", "--figures", "figures", "--size", "square")
        names = (
            f"{n}-square{dark}"
            for n in ("claims", "claims-drive", "claims-box", "compare-drive", "ports", "work-read")
            for dark in ("", "-dark")
        )
        wanted = {"captions.txt", *(f"{name}.{form}" for name in names for form in ("png", "svg"))}
        self.assertEqual({Path(f).name for f in told["figures"]}, wanted)
        figures = self.folder / "figures"
        with Image.open(figures / "claims-square-dark.png") as picture:
            self.assertEqual(picture.size, (2160, 2160))
        self.assertRegex(
            (figures / "captions.txt").read_text(), r"compare-drive\S*\tTest Box .*\tTest Box .*MB/s.*b:fast (2,9|3,0)"
        )
        for run in self.folder.glob("runs/*-box-*.json"):
            run.unlink()
        alone = {Path(f).name for f in self.json_of("export", "--figures", "--to", "alone")["files"]}
        self.assertLess({"captions.txt", "claims-dark.svg"}, alone)
        self.assertFalse({name for name in alone if "box" in name})
        self.refused("report", "--size", "card", says="--size is for figures")
        self.refused("export", "--figures", says="figures go to a folder")

    def test_what_was_changed_is_found(self) -> None:
        """A figure of the page, a run in the folder, a run within the page; what is no report is refused in a sentence."""
        page, folder = self.small(), self.folder
        text = page.read_text()
        rate = re.search(r'<td class="right">(\d{3}|\d,\d{3})</td>', text)
        assert rate is not None
        page.write_text(text[: rate.start(1)] + "9" + text[rate.start(1) + 1 :])
        told = self.json_of("verify", str(page), status=4)
        self.assertTrue(any(rate[1] in d for d in told["different"]), told["different"])
        page.write_text(text)
        run = next(folder.glob("runs/*measure-box*.json"))
        run.write_text(run.read_text().replace('"bytes": ', '"bytes":  ', 1))
        told = self.json_of("verify", str(page), status=4)
        self.assertEqual(told["different"], [f"runs/{run.name} was changed since the report was made"])
        self.refused("verify", "review.toml", says="is not a report made by Ulterion", cwd=folder)
        self.refused("verify", "missing.html", says="cannot be read", cwd=folder)
        cut = re.sub(r'(id="runs">)[^<]{2000}', r"\1", text)
        page.write_text(cut)
        self.refused("verify", str(page), says="the runs in it are damaged")
        (folder / "other.html").write_text("<html>mine</html>")
        self.refused("report", "other.html", says="is not a page made by Ulterion", cwd=folder)

    def test_another_reviewers_runs(self) -> None:
        """The same products measured elsewhere agree where they should, and differ where the box is another one."""
        one = self.review()
        simulate(one, "box")
        simulate(one, "direct")
        other = self.folder / "other"
        other.mkdir()
        (other / "review.toml").write_text(REVIEW)
        slower = BENCH.replace("seed = 7", "seed = 8").replace('read = "1000 MB/s"', 'read = "700 MB/s"')
        (other / "bench.toml").write_text(slower)
        from ulterion.model.store import ReviewFolder

        theirs = ReviewFolder.open(other)
        simulate(theirs, "box")
        simulate(theirs, "direct")
        self.ulterion("report")
        pairs = self.json_of("verify", "report.html", "--beside", str(other))["beside"]
        told = {(p["setup"], p["workload"].split()[1]): p["agreement"] for p in pairs}
        self.assertEqual((told["box", "read"], told["direct", "read"]), ("differ", "agree"))

    def test_any_single_change(self) -> None:
        """Any change of a character, a run or a figure is found: the page against the one made anew, the runs by their checksums (a thousand: benchmarks/tampering.py)."""
        text = self.small().read_text()
        with tempfile.TemporaryDirectory() as scratch:
            clean = verify.check_page(text, "page", Path(scratch), lambda folder: {})
        self.assertEqual(clean.different, ())
        archive = verify._RUNS.search(text)
        assert archive is not None
        rng, alphabet = random.Random(7), "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789 .,<>\"'&;"
        for number in range(60):
            at = rng.randrange(len(text)) if number % 2 else rng.randrange(0, archive.start())
            other = rng.choice([c for c in alphabet if c != text[at]])
            changed = text[:at] + other + text[at + 1 :]
            inside = archive.start(1) <= at < archive.end(1)
            self.assertTrue(self._inside_is_found(changed) if inside else verify._lines_that_differ(changed, text), at)

    def _inside_is_found(self, changed: str) -> bool:
        """Return whether a change within the archive is found before anything is made anew."""
        import hashlib

        try:
            _, archive = verify.carried(changed, "page")
        except UsageError:
            return True
        return hashlib.sha256(archive.encode()).hexdigest() != verify._stated(changed)["archive"]

    def test_hostile_names_and_words(self) -> None:
        """Names, remarks and notes with tags, scripts, formulas and terminal codes are only ever text, in page, figures and tables."""
        quoted = json.dumps(HOSTILE)
        review = REVIEW.replace('"Test Box"', quoted).replace(
            'kind = "enclosure"', f'kind = "enclosure"\nnote = {quoted}\nverdict = {quoted}'
        )
        store = self.review(f'{review}\n[review]\ntitle = {quoted}\n[report]\naccent = "#ffee00"\n')
        run = simulate(store, "box").run
        self.ulterion("note", "--run", run.id, f"noise: {HOSTILE}")
        self.write(
            "remarks/intro.md",
            f"# Mine\n\n{HOSTILE}\n\n[x](javascript:alert(1)) ![y](http://far/away.png) [z](https://example.org)\n",
        )
        self.write("remarks/nowhere.md", "lost")
        done = self.ulterion("report")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("remarks/nowhere.md belongs to no section", done.stderr)
        text = (self.folder / "report.html").read_text()
        page = Page(text)
        self.assertEqual((page.tags.count("script"), text.count("alert(1)</script>")), (3, 0))
        self.assertNotIn("\x1b", text)
        self.assertNotIn('javascript:alert(1)"', text)
        self.assertNotIn('src="http', text)
        self.assertIn("&lt;script&gt;", text)
        self.assertIn("<h4>Noise</h4>", text)
        self.assertEqual(self.ulterion("verify", "report.html").returncode, 0)
        out = (
            self.ulterion("export", "claims", "--as", "html").stdout
            + self.ulterion("export", "results", "--as", "markdown").stdout
        )
        self.assertNotIn("<script", out)

    def test_tables_read_back_equal(self) -> None:
        """CSV, JSON and Parquet give back what the library has, to the last digit; unknown ones, and none to write to, are refused."""
        folder = self.demo()
        to = self.folder / "tables"
        review = load_review(folder)
        for form in ("csv", "json", "parquet"):
            files = self.json_of(
                "export", "results", "passes", "claims", "soaks", "--as", form, "--to", str(to), cwd=folder
            )["files"]
            self.assertEqual(len(files), 4)
        for name in ("results", "passes", "soaks"):
            frame = review.table(name)
            numbers = frame.select_dtypes("number")
            rows = json.loads((to / f"{name}.json").read_text())["rows"]
            for back in (
                pd.read_csv(to / f"{name}.csv", float_precision="round_trip"),
                pd.read_parquet(to / f"{name}.parquet"),
                pd.DataFrame(rows),
            ):
                self.assertEqual(list(back.columns), list(frame.columns))
                for column in numbers.columns:
                    np.testing.assert_array_equal(
                        back[column].astype(float).to_numpy(), frame[column].astype(float).to_numpy(), column
                    )
        self.refused("export", "reslts", says="did you mean 'results'", cwd=folder)
        self.refused("export", says="say where to", cwd=folder)
        self.refused("export", "results", "--as", "parquet", says="say where to", cwd=folder)


class Safe(unittest.TestCase):
    @given(
        st.binary(min_size=3, max_size=3)
        | st.from_regex(r"[0-9]{1,4}e[0-9]{1,4}", fullmatch=True).filter(lambda t: len(t) == 6).map(bytes.fromhex)
    )
    def test_no_id_is_a_number_to_a_spreadsheet(self, drawn: bytes) -> None:
        made = run_id(drawn)
        self.assertRegex(made, "^[0-9a-f]{6}$")
        self.assertEqual(made[1:], drawn.hex()[1:])
        with self.assertRaises(ValueError):
            float(made)

    @given(st.lists(st.text(max_size=12), min_size=1, max_size=6))
    def test_no_cell_is_a_formula(self, texts: list[str]) -> None:
        """Whatever a cell says: it is one cell when read back, no formula, no tag, no code for a terminal."""
        frame = pd.DataFrame({"name": texts, "n": range(len(texts))})
        back = list(csv.reader(io.StringIO(as_csv(frame).decode())))
        self.assertEqual([len(r) for r in back], [2] * (len(texts) + 1))
        self.assertFalse([r[0] for r in back[1:] if r[0].startswith(("=", "+", "-", "@"))])
        self.assertNotIn("\x1b", as_csv(frame).decode() + as_markdown(frame).decode())
        self.assertEqual(Page(as_html(frame).decode()).tags.count("td"), 2 * len(texts))

    @given(st.text(max_size=60))
    @settings(max_examples=150)
    def test_words_and_data_stay_what_they_are(self, text: str) -> None:
        """Markdown makes no tag of the writer's; data in a script element never end it, and are read back."""
        allowed = {
            "p",
            "em",
            "strong",
            "code",
            "pre",
            "ul",
            "ol",
            "li",
            "blockquote",
            "h1",
            "h2",
            "h3",
            "h4",
            "h5",
            "h6",
            "hr",
            "br",
            "a",
            "table",
            "thead",
            "tbody",
            "tr",
            "th",
            "td",
        }
        self.assertLessEqual(set(Page(markdown(text)).tags), allowed)
        told = str(in_script({"x": text + "</script>"}))
        self.assertNotIn("<", told)
        self.assertEqual(json.loads(told)["x"], text + "</script>")

    @given(st.integers(0, 0xFFFFFF), st.sampled_from(["#ffffff", "#16181b"]))
    def test_any_accent_can_be_read(self, number: int, ground: str) -> None:
        """WCAG AA: 4.5 to 1, whatever colour a reviewer takes; the page's own colours too, in both themes."""
        self.assertGreaterEqual(contrast(readable(f"#{number:06x}", ground), ground), CONTRAST - 0.05)

    def test_the_pages_own_colours(self) -> None:
        """Ink, quiet text, verdicts on the ground and on striped rows: 4.5 to 1, light and dark."""
        from importlib import resources

        style = resources.files("ulterion.features.page").joinpath("web", "style.css").read_text()
        for block in re.findall(r":root\{([^}]*)\}", style)[:2]:
            colours = dict(re.findall(r"--(\w+):(#[0-9a-f]{3,6})", block))
            full = {k: v if len(v) == 7 else "#" + "".join(c * 2 for c in v[1:]) for k, v in colours.items()}
            for ground in ("ground", "stripe"):
                for name in ("ink", "quiet", "good", "bad", "open"):
                    self.assertGreaterEqual(contrast(full[name], full[ground]), 4.5, (name, ground))

    @given(
        st.dictionaries(
            st.sampled_from(["review.toml", "notes.json", "runs/a.json", "remarks/x.md"]),
            st.binary(max_size=300),
            min_size=1,
        )
    )
    def test_a_bundle_there_and_back(self, files: dict[str, bytes]) -> None:
        """The same files give the same bytes, and come out as they went in; a damaged one is refused."""
        packed = bundle.packed(files)
        self.assertEqual((bundle.packed(dict(reversed(files.items()))), bundle.unpacked(packed)), (packed, files))
        with self.assertRaises(UsageError):
            bundle.unpacked(packed[: len(packed) // 2])

    def test_a_bundle_with_a_way_out(self) -> None:
        """Names that lead out of the folder are refused."""
        import zipfile

        for name in ("../x.json", "runs/../../x.json", "/etc/x", "runs/a\\b.json"):
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w") as archive:
                archive.writestr(name, "x")
            with self.assertRaises(UsageError):
                bundle.unpacked(out.getvalue())
