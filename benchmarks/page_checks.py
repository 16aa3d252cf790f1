"""A page looked at by a browser and two checkers: how tall, how large, what axe-core and html-validate find, and whether its times are ours.

Node.js and a network are needed, to fetch the checkers into a temporary folder, and a Chromium.  Run: python -m benchmarks.page_checks
PAGE.html [...]   (default: the demo's page and that of its matrix).
"""

from __future__ import annotations

import json
import re
import shutil
import subprocess
import sys
import tempfile
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
  parent.postMessage(JSON.stringify(told), "*");
});
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
    copy.write_text(text.replace("</head>", f"<script>{axe}</script><script>{LOOK}</script></head>"))
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
        faults += [f"at {width}: {v}" for v in told["violations"]]  # type: ignore[attr-defined]
        faults += [f"at {width}: wider than the screen"] if told["wide"] else []
        faults += [f"at {width}: text of {told['small']} px"] if float(str(told["small"])) < 12 else []
        faults += [f"{screens:.1f} screens"] if width == SCREEN[0] and screens > MAX_SCREENS else []
    before = text.index('id="runs"')
    print(f"{page.name}: {first:,} bytes to the end of the first screen, {before:,} before the runs")
    print("\n".join(f"  {f}" for f in faults) or "  no faults")
    return len(faults)


def main() -> None:
    """Look at the pages that are named, else at those of the demo."""
    browser = next((b for b in BROWSERS if shutil.which(b)), None)
    if browser is None or shutil.which("npm") is None:
        raise SystemExit("this needs Chromium and Node.js")
    program = str(Path(sys.executable).with_name("ulterion"))
    with tempfile.TemporaryDirectory() as scratch:
        packages, pages = checkers(Path(scratch)), [Path(p).resolve() for p in sys.argv[1:]]
        for name, options in (("demo", []), ("matrix", ["--plan"])) if not pages else ():
            made = Path(scratch) / name
            subprocess.run([program, "demo", str(made), *options], check=True, stdout=subprocess.DEVNULL)
            subprocess.run([program, "report", "--review", str(made), str(made / "report.html")], check=True)
            pages.append(made / "report.html")
        sys.exit(sum(check(page, browser, packages) for page in pages) > 0)


if __name__ == "__main__":
    main()
