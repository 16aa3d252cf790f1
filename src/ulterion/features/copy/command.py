"""`ulterion copy`: real files or made ones copied, timed, and proven intact."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING

from ulterion.show.blocks import bullet_list
from ulterion.terminal import options
from ulterion.terminal.drawing import SavedFigures, check_paths, draw_one
from ulterion.terminal.environment import Environment
from ulterion.terminal.status import Status

if TYPE_CHECKING:
    from ulterion.engine.copies.proof import Proof
    from ulterion.features.copy.request import CopyRequest
    from ulterion.model.store import ReviewFolder
    from ulterion.run.observers import Observer

DEFAULT_PASSES = 3
MAX_AT_ONCE = 32
SETS = ("huge", "shoot", "session", "tree")  # as in ulterion.engine.copies.sets


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's own arguments."""
    parser.add_argument(
        "paths",
        nargs="*",
        default=[],
        type=Path,
        metavar="PATH",
        help="what to copy, then the folder to copy to; with --set, the folder to make the set in, then the target",
    )
    _add_ends(parser)
    _add_passes(parser)
    _add_proof(parser)
    parser.add_argument(
        "--seed", type=options.seed, metavar="N", help="seed of a made set: the same number makes the same files"
    )
    options.add_stall(parser)
    options.add_figure(parser)
    options.add_review(parser)
    options.add_units(parser)
    options.add_json(parser)


def _add_ends(parser: argparse.ArgumentParser) -> None:
    """Add the options on what is copied between what."""
    parser.add_argument(
        "--from",
        dest="source",
        metavar="SETUP",
        help="the setup to copy from (used if no path is given)",
    )
    parser.add_argument(
        "--to",
        dest="target",
        metavar="SETUP",
        help="the setup to copy to (used if no path is given)",
    )
    options.add_label(parser)
    parser.add_argument("--set", dest="made", choices=SETS, help="make a set of files and copy it")
    parser.add_argument("--of", type=options.quantity("parse_size"), metavar="SIZE", help="size of the set")
    parser.add_argument(
        "--task",
        metavar="WORDS",
        help="name of the task; copies of the same task are compared (default: the source's name)",
    )


def _add_passes(parser: argparse.ArgumentParser) -> None:
    """Add the options on how often and how."""
    parser.add_argument(
        "--passes", type=options.passes, default=DEFAULT_PASSES, metavar="N", help="how often (default: %(default)s)"
    )
    parser.add_argument(
        "--at-once",
        type=options.count("files at once", MAX_AT_ONCE),
        default=2,
        metavar="N",
        help="files copied at the same time (default: %(default)s)",
    )
    parser.add_argument(
        "--rest",
        type=options.quantity("parse_duration"),
        default=0.0,
        metavar="TIME",
        help="rest between copies, besides the trim and waiting until the device is idle",
    )


def _add_proof(parser: argparse.ArgumentParser) -> None:
    """Add the options for keeping and checking the copies."""
    parser.add_argument("--keep", action="store_true", help="keep the last copy (default: all copies are removed)")
    parser.add_argument(
        "--manifest", type=Path, metavar="FILE", help="write the checksums of the last copy to a file, for --check"
    )
    parser.add_argument(
        "--check", type=Path, metavar="MANIFEST", help="copy nothing: verify a folder against a manifest"
    )
    parser.add_argument(
        "--verify-only",
        action="store_true",
        help="copy nothing: verify the last folder against the originals",
    )
    parser.add_argument("--open", metavar="COMMAND", help="run COMMAND on every copied file, to check that it opens")
    parser.add_argument("--no-proof", action="store_true", help="do not read the copy back")
    parser.add_argument("--no-ends", action="store_true", help="do not time source and target alone")
    parser.add_argument(
        "--plain",
        action="store_true",
        help="read and write within one file system too, where the kernel would copy by itself",
    )


def run(arguments: argparse.Namespace, env: Environment) -> Status:
    """Copy, keep the run, show it."""
    from ulterion.features.copy.charts import copy_chart
    from ulterion.features.copy.data import copy_answer
    from ulterion.features.copy.run import copy
    from ulterion.features.copy.tables import after
    from ulterion.terminal.signals import stoppable

    if arguments.check or arguments.verify_only:
        return _check(arguments, env)
    if arguments.figure:
        check_paths(env.folder / arguments.figure)
    request = _request(arguments, env)
    display = copy_display(arguments, env)
    with stoppable(), closing(display):
        done = copy(request, display)
    chart = copy_chart(done.run, arguments.units) if arguments.figure else None
    drawn = SavedFigures() if chart is None else draw_one(arguments, env, "copy", lambda: chart)
    if arguments.json:
        env.show_json("copied", copy_answer(done.run, done.path), drawn.as_data())
    else:
        env.show(after(done.run, done.path, arguments.units))
        drawn.show(env)
    drawn.end(env)
    if done.failure is not None:
        raise done.failure
    return Status.BAD_VERDICT if any(p.wrong_count for p in done.run.copied.passes) else Status.DONE


def _request(arguments: argparse.Namespace, env: Environment) -> CopyRequest:
    from ulterion.core.errors import UsageError
    from ulterion.features.copy.request import CopyRequest, MadeSet

    if arguments.open and arguments.no_proof:
        raise UsageError("--open and --no-proof cannot be combined; give one of them")
    if arguments.of and not arguments.made:
        raise UsageError("--of is the size of a made set; add --set NAME")
    arguments.setup = arguments.target or arguments.source
    review = options.review_for(arguments, env.folder, env.tell)
    for end in ("source", "target"):
        if getattr(arguments, end):
            setattr(arguments, end, review.review.setup_called(getattr(arguments, end)))
    sources, target = _ends(arguments, env, review)
    _name_end(arguments, review, sources, target)
    made = (
        MadeSet(arguments.made, arguments.of, 1 if arguments.seed is None else arguments.seed)
        if arguments.made
        else None
    )
    return CopyRequest(
        review=review,
        sources=tuple(sources),
        target=target,
        from_setup=arguments.source,
        to_setup=arguments.target,
        made=made,
        task=arguments.task,
        passes=arguments.passes,
        at_once=arguments.at_once,
        rest=arguments.rest,
        plain=arguments.plain,
        ends=not arguments.no_ends,
        prove=not arguments.no_proof,
        keep=arguments.keep,
        manifest=env.folder / arguments.manifest if arguments.manifest else None,
        opener=_command(arguments.open),
        stall=arguments.stall,
    )


def _name_end(arguments: argparse.Namespace, review: ReviewFolder, sources: Sequence[Path], target: Path) -> None:
    """With --as: name the end that is no setup yet; of two the one that is not on the system's disk, the target before the source."""
    from ulterion.host.here import storage_under

    if arguments.label is None:
        return
    free = [
        (end, path)
        for end, path in (("target", target), ("source", sources[0]))
        if not getattr(arguments, end) and path.exists()
    ]
    end, path = next(((e, p) for e, p in free if not storage_under(p).system), free[0] if free else ("target", target))
    arguments.setup = None
    options.name_setup(arguments, review, str(path), path)
    setattr(arguments, end, arguments.setup)


def _command(text: str | None) -> tuple[str, ...]:
    """Return the words of a command; raise UsageError for one whose quotes do not close, or that cannot be used."""
    import shlex

    from ulterion.core.errors import UsageError

    try:
        return tuple(shlex.split(text)) if text else ()
    except ValueError as error:
        raise UsageError(f"--open '{text}' is not a command: {error}") from error


def _ends(arguments: argparse.Namespace, env: Environment, review: ReviewFolder) -> tuple[list[Path], Path]:
    """Return what is copied and where to: the last of several paths, and a setup's target where a path is wanting."""
    from ulterion.core.errors import UsageError

    paths = [env.folder / p for p in arguments.paths]
    if len(paths) > 1:
        return paths[:-1], paths[-1]
    if paths and arguments.target:
        return paths, _end(review, arguments.target)
    if arguments.source and (paths or arguments.target):
        return [_end(review, arguments.source)], paths[0] if paths else _end(review, arguments.target)
    raise UsageError("nothing to copy: name what is copied and the folder it goes to, or setups with --from and --to")


def _end(review: ReviewFolder, setup: str) -> Path:
    """Return the folder that a setup's target is; raise UsageError."""
    from ulterion.core.errors import UsageError
    from ulterion.run.place import Place

    place = Place(review, review.path, None, setup)
    if place.simulated:
        raise UsageError(f"setup '{setup}' is on the simulated bench, which has no files; name a real folder")
    if place.path is None:
        raise UsageError(f"setup '{setup}' has no target; name the folder on the command line")
    return place.path


def copy_display(arguments: argparse.Namespace, env: Environment) -> Observer:
    """Return what shows on the terminal how it goes."""
    from ulterion.features.copy.tables import Line, before
    from ulterion.model.runs.copied import CopyRun
    from ulterion.run.observers import Observer

    line = Line(env.screen, arguments.units)

    class Display(Observer):
        """Shows on the terminal how it goes."""

        def opened(self, run: CopyRun) -> None:
            line.clear()
            if not arguments.json:
                env.show(before(run))
                env.out.flush()

        def stage(self, what: str, size: int) -> None:
            line.begin(what, size)

        def tick(self, seconds: float, moved: int) -> None:
            line.tick(seconds, moved)

        def remark(self, words: str) -> None:
            line.clear()
            env.tell(words)

        def close(self) -> None:
            line.clear()

    return Display()


def _check(arguments: argparse.Namespace, env: Environment) -> Status:
    """Hold a folder against a manifest, or against what it is a copy of."""
    from ulterion.core.units import show_size
    from ulterion.show.sentences import first_few
    from ulterion.terminal.signals import stoppable

    with stoppable(), closing(copy_display(arguments, env)) as display:
        found = _found(arguments, env, display)
    if arguments.json:
        wrong = [{"name": n, "what": w} for n, w in found.wrong]
        told = {"files": found.files, "bytes": found.bytes, "wrong": wrong, "wrong_count": found.wrong_count}
        env.show_json("checked", told)
    else:
        env.show([f"{found.files} files, {show_size(found.bytes)}, are intact"])
        env.show(bullet_list("Problems", first_few([f"{n}: {w}" for n, w in found.wrong])))
    return Status.BAD_VERDICT if found.wrong_count else Status.DONE


def _found(arguments: argparse.Namespace, env: Environment, display: Observer) -> Proof:
    from ulterion.core.errors import UsageError
    from ulterion.features.copy.verify import check, verify

    paths = [env.folder / p for p in arguments.paths]
    if arguments.check and arguments.verify_only:
        raise UsageError("--check and --verify-only cannot be combined; give one of them")
    if arguments.verify_only:
        if len(paths) < 2:
            raise UsageError(
                "--verify-only needs the originals and the folder with the copy: ulterion copy SOURCE FOLDER --verify-only"
            )
        kept = env.folder / arguments.manifest if arguments.manifest else None
        return verify(paths[:-1], paths[-1], kept, display, arguments.stall)
    if len(paths) != 1:
        raise UsageError("--check takes one folder: ulterion copy FOLDER --check MANIFEST")
    return check(env.folder / arguments.check, paths[0], display, arguments.stall)
