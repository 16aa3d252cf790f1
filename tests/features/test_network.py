"""`peer` and `measure --network` as they are used: this machine as both ends, and the simulated network in a review."""

from __future__ import annotations

import signal
import threading
import time

from tests.network import CODE, Relay, serving
from tests.running import Running
from tests.support import BENCH, REVIEW, FolderCase
from ulterion.core.units import significant
from ulterion.core.workloads.network import NETWORK_SUITE, Datagrams, lost_share

NET_BENCH = (
    BENCH
    + """
[ports."b:lan"]
link = "Ethernet 1 Gb/s"
read = "117.6 MB/s"
write = "117.6 MB/s"
[parts.dongle]
link = "USB 5 Gb/s"
inside = "Ethernet 2.5 Gb/s"
driver = "cdc_ncm"
read = "285 MB/s"
write = "90 MB/s"
overhead = "200 µs"
lost = 0.01
[parts.other]
peer = true
link = "Ethernet 10 Gb/s"
read_wait = "90 µs"
noise = "0.3%"
small_noise = "1%"
"""
)
NET_REVIEW = (
    REVIEW
    + """
[ports."b:lan"]
link = "Ethernet 1 Gb/s"
[parts.dongle]
name = "Test Dongle"
kind = "network port"
link = "USB 5 Gb/s"
[parts.dongle.claims]
link = "Ethernet 2.5 Gb/s"
[parts.other]
name = "the other bench"
kind = "peer"
[setups.lan]
chain = ["b:lan", "other"]
target = "sim:bench.toml"
baseline = true
[setups.dongle]
chain = ["b:usb", "dongle", "other"]
target = "sim:bench.toml"
"""
)


class OverThisMachine(FolderCase):
    def test_from_the_peer_to_the_figures(self) -> None:
        """The line that the peer shows is the one to type; the suite gives a figure each, and what is not hardware is said."""
        with self.start("peer", "--listen", "127.0.0.1", "--port", "0", "--once") as peer:
            assert peer.stderr is not None
            lines = [peer.stderr.readline() for _ in range(2)]
            command = lines[1].split("ulterion measure ")[1].split()
            data = self.json_of("measure", *command, "--seconds", "0.2", "--passes", "1", "--json")
            _, told = peer.communicate()
        self.assertEqual([e["workload"] for e in data["estimates"]], [w.name for w in NETWORK_SUITE.workloads])
        run = data["run"]
        self.assertEqual((run["kind"], run["target"]["network"]["here"]["made_up"]), ("network", True))
        self.assertTrue(any("not hardware" in w for w in run["warnings"]))
        both = next(w for w in run["workloads"] if w["workload"]["direction"] == "both")["passes"][0]
        self.assertEqual(both["network"]["sent_bytes"] + both["network"]["received_bytes"], both["bytes"])
        trips = next(w for w in run["workloads"] if w["workload"]["pattern"] == "messages")["passes"][0]
        self.assertEqual(trips["bytes"], 64 * trips["requests"])
        self.assertTrue(0 < trips["latency"]["p50"] < 0.1)
        self.assertIn("1 served", told)
        self.assertEqual(peer.wait(), 0)

    def test_losses_are_shown_with_their_interval(self) -> None:
        """A relay that loses one in twenty: found exactly, shown with the interval; too much to send is refused in a sentence."""
        with serving() as (peer, _), Relay(peer.port, lose=0.05) as relay:
            where = ("measure", "--network", f"127.0.0.1:{relay.port}", "--code", CODE, "--passes", "1")
            done = self.ulterion(*where, "--workload", "send datagrams 200 B at 3 Mb/s", "--seconds", "1")
            self.assertEqual(done.returncode, 0, done.stderr)
            words = " ".join(done.stdout.split())
            share, low, high = lost_share(Datagrams(1875, 1875 - relay.lost))
            self.assertIn(
                f"{relay.lost} of 1,875 lost ({significant(share * 100, 2)}%, 95%: {significant(low * 100, 2)}–{significant(high * 100, 2)}%)",
                words,
            )

    def test_what_is_refused(self) -> None:
        with serving() as (peer, _):
            where = f"127.0.0.1:{peer.port}"
            self.refused("measure", "--network", where, says="add --code CODE")
            self.refused("measure", "--network", where, "--code", "another", says="the pairing code is not the one")
            for extra, says in (
                (("--suite", "sequential"), "is for drives; a network has one of its own"),
                (("--sweep", "random read 4 KiB to 8 KiB"), "--sweep is for drives"),
                (("--workload", "random read 4 KiB"), "is not a word for a network's workload"),
                (("--workload", "send at 3 Mb/s"), "takes no rate"),
                (("--workload", "send datagrams 1 B at 1 Mb/s"), "a size from 32 B"),
                (("--workload", "receive", "--workload", "receive"), "is given twice"),
            ):
                self.refused("measure", "--network", where, "--code", CODE, *extra, says=says)
            self.refused("soak", f"net:{where}", "--for", "5s", says="a soak is for drives")
            self.refused(
                "measure", "--network", where, "--most-time", "5m", says="--most-time is called --max-time now"
            )
            self.refused("peer", "--listen", "127.0.0.1", "--port", str(peer.port), says="cannot listen on port")
        self.refused("measure", "--network", where, "--code", CODE, says="is 'ulterion peer' running there")
        self.refused("measure", "--network", "a:b:c", "--code", CODE, says="no connection to a:b:c")
        self.refused("measure", "--network", "host:99999", "--code", CODE, says="is not a peer; write HOST")
        self.refused("measure", ".", "--network", where, says="cannot be combined")
        self.refused("peer", "--code", "abc", says="needs 6 characters")

    def test_a_peer_that_dies_in_mid_run(self) -> None:
        """What was measured before is kept, the run is failed, and the sentence names the peer."""
        with serving() as (peer, heard), self._measuring(peer.port) as running:
            self._served(heard, running)
            threading.Timer(0.7, peer.stop).start()
            _, told = running.communicate()
            self.assertEqual(running.wait(), 3, told)
        self.assertIn("the peer 127.0.0.1", told)

    def test_stopped_by_hand(self) -> None:
        with serving() as (peer, heard), self._measuring(peer.port) as running:
            self._served(heard, running)
            time.sleep(0.7)
            running.send_signal(signal.SIGINT)
            self.assertEqual((running.wait(), "stopped by hand" in running.communicate()[1]), (130, True))

    def _served(self, heard: list[str], running: Running) -> None:
        while not heard and running.poll() is None:
            time.sleep(0.01)

    def _measuring(self, port: int) -> Running:
        where = ("--network", f"127.0.0.1:{port}", "--code", CODE)
        return self.start("measure", *where, "--workload", "receive", "--seconds", "0.2", "--passes", "100")

    def test_beside_a_drive(self) -> None:
        """A folder and a network, alone and at once: a document each, of its kind."""
        (self.folder / "drive").mkdir()
        with serving() as (peer, _):
            data = self.json_of(
                "measure", "drive", "--together", f"net:127.0.0.1:{peer.port}", "--code", CODE, "--workload",
                "sequential read 1 MiB depth 2", "--seconds", "0.15", "--passes", "1", "--span", "16 MiB", "--json",
            )  # fmt: skip
        (shared,) = data["workloads"].values()
        self.assertEqual([len(shared["alone"]), len(shared["together"]), data["failures"]], [2, 2, []])
        self.assertEqual(sorted(p.split("-")[-3] for p in data["kept_in"]), ["measure", "network"])


class InAReview(FolderCase):
    def test_verdicts(self) -> None:
        """The dongle receives more than the built-in port and sends less, adds 200 µs to a message, loses 1%, and is as fast linked as sold."""
        self.review(NET_REVIEW, NET_BENCH)
        for setup in ("lan", "dongle"):
            self.assertEqual(self.ulterion("measure", "--setup", setup, "--seconds", "2").returncode, 0)
        (group,) = self.json_of("compare", "--json")["groups"]
        rows = {r["workload"]: r for r in group["rows"] if r["setup"] == "dongle"}
        self.assertEqual([rows[w]["verdict"] for w in ("receive", "send", "messages")], ["faster", "slower", "slower"])
        (wait,) = group["added_latency"]
        self.assertTrue(wait["low"] <= 200e-6 <= wait["high"])
        _, low, high = rows["datagrams send"]["datagrams"]["lost_share"]
        self.assertTrue(low <= 0.01 <= high)
        bottleneck = {(c["setup"], c["direction"]): c["suspects"] for c in group["bottlenecks"]}
        self.assertEqual((bottleneck["dongle", "write"], bottleneck["lan", "read"]), (["dongle"], ["b:lan"]))
        claims = {(r["part"], r["claim"]): r["verdict"] for r in self.json_of("claims", "--json")["claims"]}
        self.assertEqual(claims["dongle", "link"], "met")
        told = self.ulterion("compare", "--why").stdout
        self.assertIn("dongle, send: Test Dongle", told)
        self.assertIn("b:lan  network, Ethernet 1 Gb/s", self.ulterion("survey", "--simulated").stdout)
        self.refused("measure", "--setup", "lan", "--workload", "random read 4 KiB", says="not a word for a network's")
        self.refused(
            "soak", "--setup", "lan", "--for", "1m", says="a soak is for drives; over a network take a longer pass"
        )

    def test_in_a_plan(self) -> None:
        """A matrix of ports and peers is run with the network's workloads; its effects name the adapter."""
        plan = '[plan]\nchain = ["b:usb", "{adapter}", "other"]\ntarget = "sim:bench.toml"\nworkloads = ["receive", "send", "messages"]\n'
        second = NET_BENCH[NET_BENCH.index("[parts.dongle]") : NET_BENCH.index("[parts.other]")].replace(
            "parts.dongle", "parts.second"
        )
        second = second.replace('"285 MB/s"', '"117 MB/s"')
        review = (
            NET_REVIEW
            + '[parts.second]\nname = "Second"\nkind = "network port"\n'
            + plan
            + '[plan.factors]\nadapter = ["dongle", "second"]\n'
        )
        self.review(review, NET_BENCH + second)
        done = self.ulterion("plan", "run")
        self.assertEqual(done.returncode, 0, done.stderr)
        told = self.ulterion("plan", "effects").stdout
        self.assertRegex(" ".join(told.split()), r"Receive: only the adapter matters \(Second( Test Dongle)? −59%\)")
        self.write("review.toml", review.replace('"receive", "send", "messages"', '"random read 4 KiB"'))
        for run in (self.folder / "runs").iterdir():
            run.unlink()
        self.assertIn("no workload is for a network", self.ulterion("plan", "run").stderr)

    def test_a_drive_that_was_soaked_long_ago(self) -> None:
        """Its known cache, and nothing written to it in the last ten minutes: it is measured as any other."""
        cache = '\ncache = "4 GB"\nafter_cache = "300 MB/s"\nfold = "300 MB/s"\n'
        self.review(bench=BENCH.replace('small_noise = "3%"\n', f'small_noise = "3%"{cache}', 1))
        self.assertEqual(self.ulterion("soak", "--setup", "direct", "--for", "2m", "--cool", "20m").returncode, 0)
        done = self.ulterion("measure", "--setup", "direct", "--suite", "brief")
        self.assertEqual(done.returncode, 0, done.stderr)
