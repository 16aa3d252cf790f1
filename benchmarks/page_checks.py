"""A page looked at by a browser and two checkers: height, size, what axe-core and html-validate find, and whether its tables sort and save.

Node.js and a network are needed, to fetch the checkers into a temporary folder, and Chromium.  `python -m benchmarks.pages` calls this.
"""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import tempfile
from collections.abc import Sequence
from html import unescape
from pathlib import Path

BROWSERS = ("chromium", "chromium-browser", "google-chrome")
CHECKERS = ("axe-core", "html-validate")
SCREEN = (1280, 800)
MAX_SCREENS, MAX_FIRST = 6.0, 150_000  # screens of a page, bytes up to the end of its first screen
LOOK = """
addEventListener("load", async () => {
  const shown = [...document.querySelectorAll("p,li,td,th,text,small,a")].filter((e) => e.textContent.trim() && e.getClientRects().length);
  const told = {
    height: document.documentElement.scrollHeight,
    wide: document.documentElement.scrollWidth > innerWidth,
    small: Math.min(...shown.map((e) => parseFloat(getComputedStyle(e).fontSize)).filter((v) => v > 0)),
  };
  document.querySelectorAll("details").forEach((one) => { one.open = true; });
  const found = await axe.run(document, {resultTypes: ["violations"]});
  told.violations = found.violations.map((v) => v.id + ": " + v.nodes.slice(0, 3).map((n) => n.target.join(" ")).join(", "));
  told.tables = TABLES();
  parent.postMessage(JSON.stringify(told), "*");
});
"""
TABLES = """
function TABLES() {
  const faults = [], saved = [], Real = Blob;
  window.Blob = function (parts, options) { saved.push(parts.join("")); return new Real(parts, options); };
  const rows = (table) => [...table.rows].map((row) => row.textContent).sort().join("|");
  const number = (text) => parseFloat(text.replace(/,/g, "").replace("\u2212", "-"));
  document.querySelectorAll("table.data").forEach((table) => {
    const before = rows(table);
    table.tHead.querySelectorAll("th").forEach((th) => ["ascending", "descending"].forEach((way) => {
      th.querySelector("button").click();
      const parts = [[]];
      [...table.tBodies[0].rows].forEach((row) => {
        if (row.className === "group") { parts.push([]); } else { parts.at(-1).push(number(row.cells[th.cellIndex].textContent.trim())); }
      });
      const sorted = parts.map((p) => p.filter((v) => !isNaN(v))).every((p) => p.every((v, i) => !i || (way === "ascending" ? p[i - 1] <= v : p[i - 1] >= v)));
      if (!sorted || rows(table) !== before) { faults.push(table.id + " by " + th.textContent + ", " + way); }
    }));
    table.parentNode.nextElementSibling.click();
    if (saved.at(-1).trim().split("\\r\\n").length !== table.rows.length) { faults.push(table.id + " as CSV"); }
  });
  return faults;
}
"""
AROUND = """<!DOCTYPE html><title>look</title><iframe src="{name}" width="{width}" height="{height}"></iframe><pre id="looked"></pre>
<script>addEventListener("message", (said) => {{ document.getElementById("looked").textContent = said.data; }});</script>"""
"""A window of its own is never narrower than some 500 pixels; a frame in it is."""


def checkers(folder: Path) -> Path:
    """Fetch the checkers into a folder; return where their packages are."""
    subprocess.run(["npm", "install", "--silent", "--no-fund", *CHECKERS], cwd=folder, check=True)
    (folder / ".htmlvalidate.json").write_text('{"extends": ["html-validate:recommended"], "root": true}')
    return folder / "node_modules"


def dumped(browser: str, page: Path) -> str:
    """Return a page as the browser has it once its scripts have run."""
    command = [
        browser, "--headless", "--no-sandbox", "--disable-gpu", "--window-size=1400,900",
        "--virtual-time-budget=60000", "--timeout=120000", "--dump-dom", page.as_uri(),
    ]  # fmt: skip
    return subprocess.run(command, capture_output=True, text=True, check=True).stdout


def looked_at(browser: str, page: Path, packages: Path, width: int) -> dict[str, object]:
    """Return what a browser and axe-core see of a page at a width; the page's content policy is left out, as it would keep them away."""
    text = re.sub(r'<meta http-equiv="Content-Security-Policy"[^>]*>', "", page.read_text())
    axe = (packages / "axe-core/axe.min.js").read_text()
    copy = packages.parent / f"{page.stem}-{width}.html"
    copy.write_text(text.replace("</head>", f"<script>{axe}</script><script>{TABLES}{LOOK}</script></head>"))
    around = copy.with_name(f"around-{copy.name}")
    around.write_text(AROUND.format(name=copy.name, width=width, height=SCREEN[1]))
    match = re.search(r'<pre id="looked">(.*?)</pre>', dumped(browser, around), re.DOTALL)
    if match is None or not match[1]:
        raise SystemExit(f"{page}: the browser did not come to an end")
    told = json.loads(unescape(match[1]))
    assert isinstance(told, dict)
    return told


def validated(page: Path, packages: Path) -> list[str]:
    """Return what html-validate finds in a page."""
    command = ["node", str(packages / ".bin/html-validate"), "--formatter", "json", str(page)]
    done = subprocess.run(command, cwd=packages.parent, capture_output=True, text=True, check=False)
    return [f"{m['ruleId']}: {m['message']}" for one in json.loads(done.stdout or "[]") for m in one["messages"]]


def check(page: Path, browser: str, packages: Path) -> int:
    """Print what was found of a page; return the number of faults."""
    text = page.read_text()
    first = len(text[: text.index("<nav")].encode())
    faults = validated(page, packages)
    faults += [f"first screen of {first} bytes"] if first > MAX_FIRST else []
    for width in (SCREEN[0], 360):
        told = looked_at(browser, page, packages, width)
        screens = float(str(told["height"])) / SCREEN[1]
        print(f"{page.name} at {width}: {screens:.1f} screens, text of {told['small']} px at least")
        faults += [f"at {width}: {v}" for kind in ("violations", "tables") for v in told[kind]]  # type: ignore[attr-defined]
        faults += [f"at {width}: wider than the screen"] if told["wide"] else []
        faults += [f"at {width}: text of {told['small']} px"] if float(str(told["small"])) < 12 else []
        faults += [f"{screens:.1f} screens"] if width == SCREEN[0] and screens > MAX_SCREENS else []
    before = text.index('id="runs"')
    print(f"{page.name}: {first:,} bytes to the end of the first screen, {before:,} before the runs")
    print("\n".join(f"  {f}" for f in faults) or "  no faults")
    return len(faults)


def check_all(pages: Sequence[Path]) -> int | None:
    """Print what was found of several pages; return the number of faults, None where there is no browser or no Node.js."""
    browser = next((b for b in BROWSERS if shutil.which(b)), None)
    if browser is None or shutil.which("npm") is None:
        return None
    with tempfile.TemporaryDirectory() as scratch:
        packages = checkers(Path(scratch))
        return sum(check(page, browser, packages) for page in pages)
