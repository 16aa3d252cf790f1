"""A network to another bench as a target: the engine moves its bytes, the host says what the adapter is."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from dataclasses import replace

from ulterion.core.errors import TargetFailed, UsageError
from ulterion.core.facts.target import BenchFacts, NetworkEnd, NetworkFacts, TargetFacts
from ulterion.core.links.chain import ceilings, faults
from ulterion.core.links.standards import Link, known_link
from ulterion.core.version import __version__
from ulterion.core.workloads.network import NetworkCounts
from ulterion.core.workloads.passes import EngineChoice, OnPrefill, PassResult, Tick
from ulterion.core.workloads.workload import Workload, over_network
from ulterion.engine.network import PORT
from ulterion.engine.network.datagrams import expected
from ulterion.engine.network.passes import MAX_DATAGRAMS, Order
from ulterion.engine.network.peerlink import PeerLink
from ulterion.host import chains, network
from ulterion.host import facts as host
from ulterion.model.review import Bench as BenchWords
from ulterion.model.systems import linux_alone
from ulterion.run.place import NET
from ulterion.run.targets.network_pass import check_pass, datagrams_pass, streams_pass
from ulterion.run.targets.real_clock import RealTime

CODE_VARIABLE = "ULTERION_CODE"  # of the environment: the pairing code a peer shows


def host_and_port(where: str) -> tuple[str, int]:
    """Split 'net:HOST', 'net:HOST:PORT' or 'net:[ADDRESS]:PORT'; raise UsageError."""
    text = where.removeprefix(NET).strip()
    name, port = text, str(PORT)
    if text.startswith("["):
        name, _, rest = text[1:].partition("]")
        port = rest.removeprefix(":") or port
    elif text.count(":") == 1:
        name, _, port = text.partition(":")
    if not name or not port.isdecimal() or not 0 < int(port) < 65536:
        raise UsageError(f"'{text}' is not a peer; write HOST, HOST:PORT or [ADDRESS]:PORT")
    return name, int(port)


def code_of(given: str | None) -> str:
    """Return the pairing code that lets this bench in; raise UsageError without one."""
    code = given or os.environ.get(CODE_VARIABLE, "")
    if not code.strip():
        raise UsageError(
            f"the peer asks for its pairing code: add --code CODE, as 'ulterion peer' shows it, or set {CODE_VARIABLE}"
        )
    return code


class NetworkTarget(RealTime):
    """A peer and the network to it."""

    cache_bypassed = True
    span_bytes = 0

    def __init__(self, where: str, code: str | None, stall: float) -> None:
        """Connect; raise UsageError that says what is wrong."""
        linux_alone("measuring a network")
        self.host, self.port = host_and_port(where)
        self._stall = stall
        self.link = PeerLink(self.host, self.port, code_of(code))
        self._here = network.end_at(self.link.local)
        if self.link.is_own:
            self._here = replace(self._here, adapter="lo", driver=None, link=None, duplex=None, made_up=True)

    @property
    def name(self) -> str:
        """What tells it from another."""
        return f"{NET}{self.host}:{self.port}"

    def make_ready(self, tell: Callable[[str], None], *, late: bool = False) -> None:
        """Nothing is compiled here."""

    def with_own_cost(self, bench: BenchFacts) -> BenchFacts:
        """Return the facts as they are: there is no such cost."""
        return bench

    def facts(self) -> TargetFacts:
        """Return both ends, and the chain to the adapter here."""
        here, there = self._here, _end_of(self.link.facts)
        steps = (
            chains.steps_of(network.LIVE / "sys/class/net" / here.adapter / "device")
            if here.adapter and not here.made_up
            else ()
        )
        last = steps[-1] if steps else None
        return TargetFacts(
            path=self.name,
            kind="network",
            device=here.adapter,
            model=last.title if last else None,
            link=last.link.name if last and last.link else None,
            driver=here.driver,
            port=last.name if last else None,
            steps=steps,
            faults=tuple(faults(steps)),
            ceilings=tuple(ceilings(steps)),
            network=NetworkFacts(here, there),
        )

    def bench_facts(self, words: BenchWords) -> BenchFacts:
        """Return the facts of this machine; what the review calls it goes before its own name."""
        known = host.bench_facts({"ulterion": __version__}, words.room)
        return replace(known, host=words.host or known.host)

    def cautions(self, facts: TargetFacts, bench: BenchFacts) -> list[str]:
        """Return what a reviewer should know before believing a figure."""
        sentences = [*facts.faults, *facts.ceilings]
        ends = facts.network or NetworkFacts()
        for end, whose in ((ends.here, "this bench"), (ends.there, "the peer")):
            if end.made_up:
                sentences.append(
                    f"{end.adapter} of {whose} is not hardware (a bridge, a tunnel, or the machine's own loopback): no adapter is measured there"
                )
            if end.radio:
                sentences.append(f"{end.adapter} of {whose} is wireless: its rate varies with the place and the time")
            if end.duplex == "half":
                sentences.append(
                    f"{end.adapter} of {whose} sends and receives in turns only (half duplex), as when the settings of the two ends do not match"
                )
        return [*sentences, *_uneven(ends)]

    def engine_of(self, workload: Workload) -> EngineChoice:
        """Return the way it goes, and why."""
        if workload.pattern == "datagrams":
            return EngineChoice("udp", "numbered datagrams at a set rate")
        return EngineChoice("tcp", "a connection for each stream; the receiving end counts")

    def check(self, workload: Workload) -> None:
        """Raise UsageError when the workload cannot be run here."""
        workload = over_network(workload)
        if workload.pace and expected(workload.pace, workload.seconds or 1.0, workload.block_bytes) > MAX_DATAGRAMS:
            raise UsageError(f"'{workload.text}' for so long is more than {MAX_DATAGRAMS} datagrams; make it shorter")

    def prepare(self, seed: int, on_prefill: OnPrefill | None = None) -> None:
        """Nothing is laid down."""

    def run_pass(self, workload: Workload, seed: int, tick: Tick | None = None) -> PassResult:
        """Run one pass; raise TargetFailed, and PassSpoiled for one that cannot be."""
        order, here = Order.of(over_network(workload), self._stall), self._here.adapter
        before, machine, own = network.counted(here), network.machine_seconds(), time.process_time()
        mine, theirs = self.link.run(order, tick)
        spent = time.process_time() - own
        after, machine_after = network.counted(here), network.machine_seconds()
        problems = [*mine.problems, *theirs.problems]
        if problems:
            raise TargetFailed("; ".join(problems))
        counts = NetworkCounts(
            machine_cpu_seconds=None if machine is None or machine_after is None else machine_after - machine,
            errors=after.errors - before.errors if before and after else None,
            drops=after.drops - before.drops if before and after else None,
        )
        make = datagrams_pass if order.kind == "datagrams" else streams_pass
        return check_pass(order, make(order, mine, theirs, counts, spent), self._links())

    def _links(self) -> list[Link]:
        """Return the links that both ends negotiated, as far as they are known, hardware, and on the way."""
        ends = () if self.link.is_own else (self._here, _end_of(self.link.facts))
        return [link for e in ends if not e.made_up and (link := known_link(e.link)) is not None]

    def counters(self) -> dict[str, float]:
        """Return what the kernel counts of the adapter."""
        known = network.counted(self._here.adapter)
        return {} if known is None else {"errors": known.errors, "drops": known.drops}

    def is_gone(self) -> bool:
        """Return whether the adapter was pulled out."""
        name = self._here.adapter
        return name is not None and not (network.LIVE / "sys/class/net" / name).exists()

    def close(self) -> None:
        """Say goodbye to the peer."""
        self.link.close()


def _end_of(facts: dict[str, object]) -> NetworkEnd:
    """Return the peer's end as it says itself: only what has the right kind."""
    words = {
        n: v[:200]
        for n in ("host", "address", "adapter", "driver", "link", "duplex")
        if isinstance(v := facts.get(n), str)
    }
    mtu, radio, made_up = (facts.get(n) for n in ("mtu", "radio", "made_up"))
    return NetworkEnd(
        **words,
        mtu=mtu if type(mtu) is int else None,
        radio=radio if isinstance(radio, bool) else None,
        made_up=made_up if isinstance(made_up, bool) else None,
    )


def _uneven(ends: NetworkFacts) -> list[str]:
    here, there = known_link(ends.here.link), known_link(ends.there.link)
    if here is None or there is None or there.payload >= here.payload:
        return []
    return [
        f"the peer's adapter {ends.there.adapter} is linked at {there}, this one at {here}: the peer is what holds it back"
    ]
