"""Several targets at once, as a table."""

from __future__ import annotations

from ulterion.core.units import show_percent, show_rate
from ulterion.features.measure.concurrent_words import gives_way
from ulterion.run.observers import Shared
from ulterion.show.blocks import BLANK, Cells, Shown, Table, Text, bullet_list, heading, kept_line
from ulterion.show.columns import align_points


def sharing_table(shared: Shared, unit: str) -> list[Shown]:
    """Return, for each workload, every target alone and together, the total and the fairness."""
    shown: list[Shown] = []
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
        shown += [*([BLANK] if shown else []), heading(text), Table(columns, rows)]
        shown.append(Text(gives_way(shared.targets, share.kept)))
        shown.append(Text(f"fairness {share.fairness:.2f} (1 when all keep the same share)"))
    kept_in = [kept_line(path) for path in shared.paths]
    return [*shown, *bullet_list("Warnings", shared.failures), BLANK, *kept_in]
