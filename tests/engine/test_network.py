"""The network's protocol: rates against a relay that counts, losses found to the datagram, and a peer that serves whatever strangers do."""

from __future__ import annotations

import contextlib
import errno
import json
import os
import resource
import socket
import struct
import threading
import time
import unittest
from dataclasses import replace
from typing import Any
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.network import CODE, Relay, serving
from ulterion.core.errors import PassSpoiled, TargetFailed, UsageError
from ulterion.core.links.standards import find_link
from ulterion.core.workloads.network import Datagrams, NetworkCounts, parse_network
from ulterion.engine.network import session
from ulterion.engine.network.datagrams import Arrived
from ulterion.engine.network.frames import STRANGER, ProtocolError, receive_frame, send_frame
from ulterion.engine.network.passes import Order, Outcome, from_frame, to_frame
from ulterion.engine.network.peer import MAX_FROM_ONE, Peer
from ulterion.engine.network.peerlink import PeerLink
from ulterion.engine.network.streams import Counted, joined
from ulterion.run.targets.network_pass import check_pass, datagrams_pass, streams_pass

JSON: st.SearchStrategy[Any] = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=True) | st.text(max_size=20),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=12), inner, max_size=4),
    max_leaves=20,
)


def order(words: str, seconds: float = 0.25) -> Order:
    return Order.of(replace(parse_network(words), seconds=seconds), 10.0)


def link_to(port: int) -> PeerLink:
    return PeerLink("127.0.0.1", port, CODE)


def datagrams_of(mine: Outcome, theirs: Outcome) -> Datagrams:
    arrived = mine.arrived or theirs.arrived
    assert arrived is not None and mine.datagrams_sent is not None
    return replace(arrived.counts, sent=mine.datagrams_sent)


class Passes(unittest.TestCase):
    def test_every_kind_through_one_session(self) -> None:
        """Streams of both ends, messages and datagrams; each end counts what it received, and what was told live is as much."""
        with serving() as (peer, _):
            link = link_to(peer.port)
            told: list[int] = []
            mine, theirs = link.run(order("receive 3 streams"), lambda seconds, moved: told.append(moved))
            self.assertEqual((len(mine.counted), len(theirs.sent), mine.problems, theirs.problems), (3, 3, [], []))
            count, seconds = joined(list(mine.counted.values()))
            self.assertTrue(0.2 < seconds < 0.35 and 0 < count < sum(s.bytes for s in theirs.sent.values()))
            self.assertTrue(told and told[-1] > 0)
            mine, theirs = link.run(order("both ways"), None)
            self.assertTrue(mine.counted[0].bytes > 0 and theirs.counted[1].bytes > 0)
            self.assertAlmostEqual(sum(mine.counted[0].series) / mine.counted[0].bytes, 1, delta=0.2)
            mine, _ = link.run(order("messages 100 B"), None)
            self.assertEqual(mine.counted[0].bytes, 100 * mine.counted[0].gaps.total)
            for words in ("send datagrams 300 B at 4 Mb/s", "receive datagrams 300 B at 4 Mb/s"):
                self.assertEqual(datagrams_of(*link.run(order(words), None)).lost, 0, words)
            link.close()
            self.assertEqual(link.facts["link"], "Ethernet 1 Gb/s")

    def test_a_slowed_way_is_found(self) -> None:
        """A relay that lets about 12 MB/s through is found to pass on what it did: one stream in each direction, within 5%."""
        with serving() as (peer, _), Relay(peer.port, pace=12e6) as relay:
            link = link_to(relay.port)
            for words in ("receive", "send"):
                mine, theirs = link.run(order(words, 1.2), None)
                count, seconds = joined([*mine.counted.values(), *theirs.counted.values()])
                self.assertAlmostEqual(count / seconds / relay.rate(0.3), 1, delta=0.05)
                self.assertLess(count / seconds, 12.5e6)
            link.close()

    def test_losses_are_found_to_the_datagram(self) -> None:
        """What a relay loses and doubles, it counts; both directions find just that."""
        for words in ("send datagrams 200 B at 5 Mb/s", "receive datagrams 200 B at 5 Mb/s"):
            with serving() as (peer, _), Relay(peer.port, lose=0.05, double=0.02) as relay:
                link = link_to(relay.port)
                found = datagrams_of(*link.run(order(words, 1.0), None))
                link.close()
                self.assertGreater(relay.lost, 50)
                unseen = 3125 - relay.seen  # dropped by the kernel before the relay, when this machine is busy
                self.assertEqual(found.sent, 3125, words)
                self.assertLessEqual(abs(found.lost - relay.lost - unseen - found.overrun), found.overrun, words)
                self.assertLessEqual(abs(found.twice - relay.doubled), found.overrun, words)


class Strangers(unittest.TestCase):
    def test_who_does_not_know_the_word(self) -> None:
        """A wrong pairing code, nobody there, something else there: a sentence each, and the peer serves on; nor is the code ever sent."""
        with serving() as (peer, told):
            with self.assertRaisesRegex(UsageError, "the pairing code is not the one"):
                PeerLink("127.0.0.1", peer.port, "guessed-it")
            with contextlib.closing(socket.create_connection(("127.0.0.1", peer.port))) as sock:
                greeting = receive_frame(sock)
                send_frame(sock, {"role": "bench", "version": 99, "nonce": "00" * 16, "proof": "x"})
                self.assertIn("same version of Ulterion", receive_frame(sock)["refused"])
                self.assertEqual(sorted(greeting), ["nonce", "salt", "ulterion-peer"])
            first = link_to(peer.port)
            with self.assertRaisesRegex(UsageError, "serving another bench"):
                link_to(peer.port)
            first.close()
            self.assertIn("refused 127.0.0.1: it does not know the pairing code", told)
            self._passes(peer.port)
        with self.assertRaisesRegex(UsageError, "no connection to"):
            link_to(peer.port)
        with socket.create_server(("127.0.0.1", 0)) as other:
            threading.Thread(target=lambda: other.accept()[0].sendall(b"HTTP/1.1 200 OK\r\n\r\n"), daemon=True).start()
            with self.assertRaisesRegex(UsageError, "is not a serving peer"):
                link_to(other.getsockname()[1])

    def test_a_peer_that_does_not_know_the_word_itself(self) -> None:
        """Who only pretends to be the peer is found out: it cannot prove that it knows the pairing code."""
        with socket.create_server(("127.0.0.1", 0)) as other:

            def pretend() -> None:
                sock, _ = other.accept()
                send_frame(sock, {"ulterion-peer": 1, "salt": "ab" * 16, "nonce": "cd" * 16})
                receive_frame(sock)
                send_frame(sock, {"proof": "0" * 64, "facts": {}})

            threading.Thread(target=pretend, daemon=True).start()
            with self.assertRaisesRegex(UsageError, "does not know the pairing code itself"):
                link_to(other.getsockname()[1])

    def test_floods_and_half_open_ones(self) -> None:
        """Junk, too long frames, deep JSON, and a hundred that say nothing: refused; threads stay few, memory flat, and it serves on."""
        with serving() as (peer, _):
            self._passes(peer.port)
            before, threads = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, threading.active_count()
            silent = [socket.create_connection(("127.0.0.1", peer.port)) for _ in range(120)]
            time.sleep(0.3)
            self.assertLessEqual(threading.active_count(), threads + MAX_FROM_ONE)
            for sock in silent:
                sock.close()
            surrogates = [
                b'{"role":"stream","nonce":"%b","proof":"0","number":0,"pass":"\\ud800"}' % (b"ab" * 16),
                b'{"role":"\\udc00"}',
            ]
            crashed: list[object] = []
            hook = mock.patch.object(threading, "excepthook", crashed.append)
            hook.start()
            self.addCleanup(hook.stop)
            deep = b"[" * (STRANGER - 10)
            for junk in (
                os.urandom(300),
                struct.pack(">I", 2**31),
                struct.pack(">I", len(deep)) + deep,
                b"\0\0\0\2{}",
                b"\0\0\0\3nul",
                *(struct.pack(">I", len(t)) + t for t in surrogates),
            ):
                for _ in range(30):
                    with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", peer.port)) as sock:
                        sock.sendall(junk)
            udp = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            for _ in range(2000):
                udp.sendto(os.urandom(64), ("127.0.0.1", peer.port))
            udp.close()
            self.assertGreater(peer.happenings.refused, 100)
            self.assertEqual(crashed, [])
            deadline = time.monotonic() + 10
            while True:  # the last of the flood may still be heard out
                try:
                    self._passes(peer.port)
                    break
                except UsageError:
                    self.assertLess(time.monotonic(), deadline)
                    time.sleep(0.2)
            self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 40_000)

    def test_a_bench_that_goes_away(self) -> None:
        """In the middle of a pass, before its connections, or with an order for nonsense: the session ends, the next is let in."""
        with serving() as (peer, told):
            for words in ("receive", "send", "messages", "send datagrams at 5 Mb/s"):
                link = link_to(peer.port)
                ending = threading.Timer(0.25, link._control.shutdown, (socket.SHUT_RDWR,))
                ending.start()
                with self.assertRaises(TargetFailed):
                    link.run(order(words, 0.8), None)
                link.close()
                self._until_free(peer)
            for frame in (
                {"do": "pass", "kind": "streams"},
                {"do": "run"},
                order("receive", 0.5).to_frame() | {"streams": 10**9},
            ):
                link = link_to(peer.port)
                send_frame(link._control, frame)
                with self.assertRaises((ProtocolError, OSError)):
                    receive_frame(link._control)
                link.close()
                self._until_free(peer)
            self._passes(peer.port)
            self.assertTrue(any("not served" in t for t in told), told)

    def test_the_seat_is_free_within_a_second(self) -> None:
        """Whatever a pass waits for: the bench is gone, though its other connections stand; nothing is waited out."""
        for words in (
            "receive 2 streams",
            "send",
            "messages",
            "receive datagrams at 5 Mb/s",
            "send datagrams at 5 Mb/s",
            "unopened",
        ):
            with serving() as (peer, _):
                link = link_to(peer.port)
                send_frame(link._control, order("receive" if words == "unopened" else words, 30.0).to_frame())
                token = bytes.fromhex(receive_frame(link._control)["pass"])
                if words != "unopened" and "datagrams" not in words:
                    kept = [link._stream(token, n) for n in range(order(words).connections)]
                    receive_frame(link._control)
                    self.assertTrue(kept)
                time.sleep(0.2)
                self.assertIsNotNone(peer._session)
                begin = time.monotonic()
                link._control.close()
                self._until_free(peer)
                self.assertLess(time.monotonic() - begin, 1.5, words)

    def test_streams_that_are_never_opened(self) -> None:
        """A bench that orders a pass and opens nothing loses its seat, however many streams it ordered."""
        self.assertEqual(session.TO_CONNECT, 10.0)
        with serving() as (peer, told), mock.patch.object(session, "TO_CONNECT", 0.3):
            link = link_to(peer.port)
            send_frame(link._control, order("receive 32 streams", 1.0).to_frame())
            begin = time.monotonic()
            self._until_free(peer)
            self.assertLess(time.monotonic() - begin, 3)
            self.assertTrue(any("were never opened" in t for t in told), told)
            link.close()

    def test_no_descriptors_left(self) -> None:
        """Where the system gives none for a while, that is waited out; then it serves on."""
        with serving() as (peer, _):
            real, refused = peer._listener, [0]

            class Scarce:
                def accept(self) -> Any:
                    if refused[0] < 3:
                        refused[0] += 1
                        raise OSError(errno.EMFILE, os.strerror(errno.EMFILE))
                    return real.accept()

                def close(self) -> None:
                    real.close()

            peer._listener = Scarce()  # type: ignore[assignment]
            with contextlib.suppress(UsageError):
                link_to(peer.port).close()
            self._until_free(peer)
            self._passes(peer.port)
            self.assertEqual(refused[0], 3)

    def _until_free(self, peer: Peer) -> None:
        deadline = time.monotonic() + 20
        while peer._session is not None:
            self.assertLess(time.monotonic(), deadline)
            time.sleep(0.05)

    def _passes(self, port: int) -> None:
        link = link_to(port)
        mine, _ = link.run(order("receive", 0.1), None)
        self.assertGreater(mine.counted[0].bytes, 0)
        link.close()


class Frames(unittest.TestCase):
    @given(JSON)
    @settings(max_examples=150, deadline=None)
    def test_whatever_is_sent(self, data: Any) -> None:
        """An order or a result that is none is a fault of the protocol, never another one."""
        for read in (Order.read, from_frame):
            with contextlib.suppress(ProtocolError):
                read({"result": data, "window": data, "counted": data} | (data if isinstance(data, dict) else {}))

    @given(st.integers(1, 2**20), st.integers(1, 32), st.sampled_from(["send", "receive", "both"]), st.floats(0.1, 600))
    def test_there_and_back(self, block: int, streams: int, direction: str, seconds: float) -> None:
        """An order, and an outcome, are read as they were written; a result fits into a frame however many streams there are."""
        asked = replace(order("receive", seconds), block=block, streams=streams, direction=direction)
        self.assertEqual(Order.read(json.loads(json.dumps(asked.to_frame()))), asked)
        every = {n: Counted(block * n, 5, 1.0, 3.0, n, series=[n] * round(seconds * 10)) for n in range(streams)}
        text = json.dumps(to_frame(Outcome(every, {})))
        back = from_frame(json.loads(text))
        self.assertEqual(joined(list(back.counted.values())), joined(list(every.values())))
        self.assertEqual(sum(back.counted[0].series), sum(sum(c.series) for c in every.values()))
        self.assertLess(len(text), 2**18)

    def test_streams_taken_for_one(self) -> None:
        """Two of 100 MB/s, one of which stood still for its last second: 100 MB + 200 MB in 2 s are 150 MB/s, not 200."""
        count, seconds = joined([Counted(200_000_000, 5, 1.0, 3.0), Counted(100_000_000 - 7, 7, 1.0001, 2.0)])
        self.assertAlmostEqual(count / seconds, 150e6, delta=10)


class Results(unittest.TestCase):
    """What both ends counted, and whether that can be a result."""

    def test_a_pass_that_cannot_be_is_none(self) -> None:
        """Far shorter than asked, or above a link that was negotiated: of streams and datagrams, whichever end counted."""
        asked = order("receive", 1.0)
        gigabit = find_link("Ethernet 1 Gb/s")
        for moved, seconds, says in (
            (6_641_000, 0.00145, "were counted"),
            (4_580_000_000, 1.0, "more than Ethernet 1 Gb/s"),
            (117_000_000, 1.0, None),
        ):
            one = Counted(moved, 5, 1.0, 1.0 + seconds, arrivals=100)
            for mine, theirs in ((Outcome({0: one}, {}), Outcome({}, {})), (Outcome({}, {}), Outcome({0: one}, {}))):
                made = streams_pass(asked, mine, theirs, NetworkCounts(), 0.0)
                if says is None:
                    self.assertEqual(check_pass(asked, made, [gigabit]), made)
                    continue
                with self.assertRaisesRegex(PassSpoiled, says) as raised:
                    check_pass(asked, made, [gigabit])
                self.assertTrue(raised.exception.of_target)
        paced = order("receive datagrams 1000 B at 8 Mb/s", 1.0)
        arrived = Arrived(20_000, 0.02, [], Datagrams(1000, 20, 0, 0, 0, None))
        mine = Outcome({}, {}, arrived, 1000, 1.0)
        with self.assertRaisesRegex(PassSpoiled, "were counted"):
            check_pass(paced, datagrams_pass(paced, mine, Outcome({}, {}), NetworkCounts(), 0.0), [])
        both = order("both ways", 1.0)
        two = streams_pass(
            both,
            Outcome({0: Counted(110_000_000, 0, 1.0, 2.0)}, {}),
            Outcome({1: Counted(110_000_000, 0, 1.0, 2.0)}, {}),
            NetworkCounts(),
            0.0,
        )
        self.assertEqual(check_pass(both, two, [gigabit]), two)
