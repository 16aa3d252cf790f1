"""What can be wrong with words and files, made from a random number: used by `benchmarks.fuzz`."""

from __future__ import annotations

import contextlib
import json
import os
import random
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

BAD_TEXTS = (
    "", " ", "-", "--", "-1", "0", "1e999", "nan", "NaN", "inf", "-inf", "9" * 5000, "9" * 400 + " GB", "\u0663 GB", "1 e",
    " " * 60_000 + "x", "4" + " " * 60_000 + "KiB!", "x" * 20_000, "[/dev/sda] gone", "[bold]x[/bold", "[/]", ":boom:", "%s %d {0}",
    "$\\frac", "$$", "\\", "'", '"', "a\nb", "a\tb", "\x1b[31mred\x1b[0m", "\x1b]0;x\x07", "\u202eabc", "\udcff\udc80.png", "\ufeff",
    "\u65e5\u672c\u8a9e", "\u0928\u092e\u0938\u094d\u0924\u0947", "\U0001f4be", "e\u0301" * 50, "../../etc/passwd", "/etc/passwd",
    "/dev/zero", "/dev/full", "/dev/null", "/proc/self/mem", "/proc/self/fd/0", "~", "~nobody/x", "*", "x" * 300 + ".png",
    "a/b.png", ".png", "x.png/", "NAME=", "=x", "case=", "case=yes", "512 KB", "10 Mbps", "4 KB", "1 GBps", "3 %%", "101 %",
    "2m30", "1h-2m", "12 C at 5 V", "sim:", "sim:../x", "sim:bench.toml", "random", "sequential write 4 KiB depth 0",
    "random mixed 30 % writes 4 KiB", "random read 5 KiB", "read write 4 KiB", "sequential read 64 MiB depth 1024", "case 1e9 C", "at 12m",
    "case 38 C at 1e300 s", "2026-13-45T99:99:99Z", "Europe/../../etc/passwd", "+99:99",
)  # fmt: skip
BAD_VALUES: tuple[Any, ...] = (
    None, True, -1, 0, 1e308, -1e308, 10**40, "", "x", [], {}, [[]], [None], {"a": {}}, "\ud800", "\x1b[2J", "9" * 500, [0] * 1000,
    "0001-01-01T00:00:00Z", "9999-12-31T23:59:59+14:00", 2**63, -(2**63), 0.1, "NaN", ["x"] * 3,
)  # fmt: skip

DEFAULTS = ("units = 'Gb/s'", "archive = 'all.sqlite'", "archive_each_run = true", "colour = false", "review = '.'", "units = 5", "x = 1",
            "archive = '\\u0000'", "archive = 'postgresql://[x'", "[[[", "units = " + "9" * 5000, "x = " + "[" * 5000, "review = '~nobody/x'",
            "archive_each_run = 'yes'", "\xff", "units = ''", "review = '/dev/zero'")  # fmt: skip
"""Lines of a file of personal defaults, good and bad."""
VARIABLES = (
    "SOURCE_DATE_EPOCH",
    "COLUMNS",
    "LINES",
    "ULTERION_ARCHIVE",
    "ULTERION_ENGINE",
    "TZ",
    "LANG",
    "NO_COLOR",
    "TERM",
    "TMPDIR",
)
"""Variables of the environment that a case may set to anything."""


@contextlib.contextmanager
def surroundings(rng: random.Random, config: Path) -> Iterator[None]:
    """Within the block there may be personal defaults in a folder, and variables of the environment that nobody would set so."""
    before = dict(os.environ)
    (config / "ulterion").mkdir(parents=True, exist_ok=True)
    told = [rng.choice(DEFAULTS) for _ in range(rng.choice((0, 0, 0, 0, 1, 2)))]
    (config / "ulterion/config.toml").write_text("\n".join(told), encoding="latin-1")
    os.environ["XDG_CONFIG_HOME"] = str(config)
    for _ in range(rng.choice((0, 0, 0, 1, 2))):
        value = rng.choice((*BAD_TEXTS, "100", "1", "portable", "all.sqlite", "UTC"))
        with contextlib.suppress(ValueError):
            os.environ[rng.choice(VARIABLES)] = value[:2000]
    try:
        yield
    finally:
        os.environ.clear()
        os.environ.update(before)


Spoiler = Callable[[Path, random.Random], str]


def spoil(folder: Path, rng: random.Random) -> str:
    """Spoil one thing of a review folder; return what was done, in words."""
    files = sorted(p for p in folder.rglob("*") if p.is_file() and not p.is_symlink() and p.name != ".lock")
    if not files:
        return "nothing left"
    path = rng.choice(files)
    how = rng.choice(
        (_bits, _cut, _junk, _node, _value, _value, _value, _line, _deep, _number, _twice, _name, _toml, _toml)
    )
    try:
        done = how(path, rng)
    except (ValueError, OSError, KeyError, IndexError, RecursionError):
        done = _bits(path, rng)
    return f"{path.relative_to(folder)}: {done}"


def _bits(path: Path, rng: random.Random) -> str:
    data = bytearray(path.read_bytes() or b"x")
    for _ in range(rng.choice((1, 3, 50))):
        data[rng.randrange(len(data))] ^= 1 << rng.randrange(8)
    path.write_bytes(data)
    return "bits turned"


def _cut(path: Path, rng: random.Random) -> str:
    data = path.read_bytes()
    path.write_bytes(data[: rng.randrange(len(data) + 1)])
    return "cut off"


def _junk(path: Path, rng: random.Random) -> str:
    texts = (b"", b"\0" * 100, rng.randbytes(500), b"{}", b"{}\n{}\n", b"[]", b"null", b"\xff\xfe", b"\xef\xbb\xbf{}", b"1" * 5000, b"{" * 50,
             b'"' + b"x" * 100_000 + b'"', b"\n" * 1000)  # fmt: skip
    path.write_bytes(rng.choice(texts))
    return "junk instead"


def _node(path: Path, rng: random.Random) -> str:
    """Put something that is not a plain file in its place; the file itself stays beside it."""
    path.rename(path.with_name(f"kept-{path.name}"))
    kind = rng.choice(("fifo", "folder", "device", "loop", "dangling", "closed"))
    if kind == "fifo":
        os.mkfifo(path)
    elif kind == "folder":
        path.mkdir()
    elif kind == "closed":
        path.write_bytes(b"x")
        path.chmod(0)
    else:
        path.symlink_to({"device": "/dev/zero", "loop": path.name, "dangling": "nowhere"}[kind])
    return f"{kind} instead"


def _places(data: Any, found: list[tuple[Any, Any]]) -> list[tuple[Any, Any]]:
    items = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ()
    for key, value in list(items):
        found.append((data, key))
        if len(found) < 20_000:
            _places(value, found)
    return found


def _value(path: Path, rng: random.Random) -> str:
    """Replace a value somewhere in JSON, or in one line of JSON lines."""
    lines = path.read_text().split("\n") if path.suffix in (".journal", ".notes") else [path.read_text()]
    at = rng.randrange(max(len(lines) - 1, 1))
    data = json.loads(lines[at])
    where, key = rng.choice(_places(data, []))
    if rng.random() < 0.15 and isinstance(where, dict):
        del where[key]
        lines[at] = json.dumps(data)
        path.write_text("\n".join(lines))
        return f"{key} left out"
    where[key] = rng.choice(BAD_VALUES)
    if rng.random() < 0.5 and path.suffix == ".json" and path.name != "notes.json":
        from ulterion.model.runs.layout import compact_json

        try:
            path.write_bytes(compact_json(data).encode("utf-8", "surrogatepass"))
            return f"{key} is {str(where[key])[:20]!r}"
        except ValueError:
            pass
    lines[at] = json.dumps(data)
    path.write_text("\n".join(lines))
    return f"{key} is {str(where[key])[:20]!r}"


def _line(path: Path, rng: random.Random) -> str:
    lines = path.read_bytes().split(b"\n")
    at = rng.randrange(len(lines))
    lines[at] = rng.choice((b"", b"{}", b"null", b"[]", b'{"row": []}', b'{"row": 5}', b'{"phase": null}', b'{"end": [1]}', b'{"pass": {}}',
                            b'{"workload": "x", "pass": {}}', b'{"workload": -1, "pass": {}}', b'{"reading": 5}', b'{"note": {}}',
                            b"\xff\xff", b"x" * 10_000))  # fmt: skip
    path.write_bytes(b"\n".join(lines))
    return "a line replaced"


def _deep(path: Path, rng: random.Random) -> str:
    depth = rng.choice((100, 2000, 100_000))
    opening, closing = rng.choice(((b"[", b"]"), (b'{"a":', b"}")))
    path.write_bytes(
        opening * depth + b"1" + closing * depth if path.suffix != ".toml" else b"x = " + b"[" * depth + b"]" * depth
    )
    return f"nested {depth} deep"


def _number(path: Path, rng: random.Random) -> str:
    data = path.read_bytes()
    places = [i for i in range(len(data)) if data[i : i + 1].isdigit()]
    at = rng.choice(places)
    digits = rng.choice((b"9" * 5000, b"1e400", b"-", b"0x", b"NaN", b"1" * 30, b"\xd9\xa3"))
    path.write_bytes(data[:at] + digits + data[at + 1 :])
    return f"a number is {digits[:8]!r}"


def _twice(path: Path, rng: random.Random) -> str:
    path.with_name(f"a{path.name}").write_bytes(path.read_bytes())
    return "there twice"


def _name(path: Path, rng: random.Random) -> str:
    new = rng.choice(
        ("\x1b[31m.json", "\udcff.json", "x" * 240 + ".json", "a\nb.journal", "[bold].json", "-rf.json", "%.notes")
    )
    path.rename(path.with_name(new))
    return f"called {new[:20]!r}"


def _toml(path: Path, rng: random.Random) -> str:
    """Replace a value in a TOML file, or put a line into it."""
    if path.suffix != ".toml":
        return _value(path, rng)
    lines = path.read_text().split("\n")
    at = rng.randrange(len(lines))
    bad = rng.choice(('"x"', "1", "true", "[]", "{}", '"' + "9" * 400 + ' GB"', '"-1 GB"', '"\\u001b[31m"', "1979-05-27", "nan", '""', '"5 Gb/s"',
                      '["a"]', '"[/x]"', '"$\\\\frac"', '"' + "x" * 300 + '"'))  # fmt: skip
    key, equals, _ = lines[at].partition("=")
    lines[at] = (
        f"{key}= {bad}"
        if equals
        else rng.choice(("[x]", "x = 1", "[[faults]]", "[parts.a]", "= 1", '[setups."a/b"]', '[parts."[/x]"]'))
    )
    path.write_text("\n".join(lines))
    return f"line {at + 1} is {lines[at][:30]!r}"
