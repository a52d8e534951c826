"""Sessions that somebody else logged: frames of a real scan and of live polling, written by python-can as candump, ASC
and BLF, come back as the same scan and the same channels."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import can
import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.buslog import messages, read_frames, samples_of, snapshot_of
from gumshoe.core.obd.link import BusFrame
from gumshoe.core.obd.poller import Poller
from gumshoe.web.live import looking, store
from gumshoe.web.live.models import Recording
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import Scan
from gumshoe.web.vehicles.links import connection
from tests.web.test_work import WithCar


def written(frames: list[BusFrame], suffix: str) -> bytes:
    """Frames as python-can's own writer puts them into such a file."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / f"log{suffix}"
        with can.Logger(file) as logger:
            for frame in frames:
                logger.on_message_received(
                    can.Message(
                        timestamp=frame.time,
                        arbitration_id=frame.id,
                        is_extended_id=frame.extended,
                        data=frame.data,
                        is_rx=not frame.sent,
                        channel=0,
                    )
                )
        return file.read_bytes()


class Logged(WithCar):
    defects = ("coil-3-weak",)
    history = ("mixed", "mixed")

    def heard(self) -> tuple[list[BusFrame], Scan, list[float]]:
        """The frames of a scan and of some rounds of polling; the scan; the engine speeds told."""
        self.key("on")
        self.key("start")
        self.runner.skip(5.0)
        frames: list[BusFrame] = []
        speeds = []
        with connection(self.case.vehicle).use(tap=frames.append) as link:
            keys = ["rpm", "load_pct", "maf_gps", "misfire_c3"]
            poller = Poller(link, 0, keys, looking.car_of(self.case).identifiers)
            for _ in range(12):
                speeds += [sample.value for sample in poller.poll() if sample.key == "rpm"]
                time.sleep(0.02)
        self.key("off")
        self.runner.skip(3.0)
        self.key("on")
        with connection(self.case.vehicle).use(tap=frames.append) as link:
            found = scans.scan(link, beyond=scans.beyond(self.case))
        stored = scans.store(self.case, self.tess, found, [], Scan.Why.INTAKE, "here", 1.0)
        return frames, stored, speeds

    def test_the_same_scan_and_channels_in_every_format(self) -> None:
        frames, stored, speeds = self.heard()
        direct = scans.snapshot_of(stored)
        assert direct
        for suffix in (".log", ".asc", ".blf"):
            with self.subTest(suffix):
                back = messages(read_frames(written(frames, suffix), suffix))
                samples = samples_of(back, looking.car_of(self.case).identifiers)
                told = [sample.value for sample in samples if sample.key == "rpm"]
                np.testing.assert_allclose(told[: len(speeds)], speeds)
                self.assertIn("misfire_c3", {sample.key for sample in samples})
                again = snapshot_of(back, scans.beyond(self.case))
                assert again
                self.assertEqual(again.vin, direct.vin)
                self.assertEqual(
                    {(code.code, code.state) for code in again.stored_codes},
                    {(code.code, code.state) for code in direct.stored_codes},
                )
                self.assertTrue(any(code.code == "P0303" for code in again.stored_codes))
                self.assertEqual(len(again.modules), len(direct.modules))
                for one, other in zip(again.modules, direct.modules, strict=True):
                    self.assertEqual((one.results, one.frames, one.status), (other.results, other.frames, other.status))

    def test_what_came_after_a_clearing_is_not_in_the_scan(self) -> None:
        frames, _, _ = self.heard()
        later = frames[-1].time + 1.0
        cleared = [
            BusFrame(later, 0x7E0, False, b"\x01\x04".ljust(8, b"\0"), True),
            BusFrame(later + 0.01, 0x7E8, False, b"\x01\x44", False),
        ]
        empty = [
            BusFrame(later + 1.0, 0x7E0, False, b"\x01\x03".ljust(8, b"\0"), True),
            BusFrame(later + 1.1, 0x7E8, False, b"\x02\x43\x00", False),
        ]
        found = snapshot_of(messages([*frames, *cleared, *empty]))
        assert found
        self.assertTrue(any(code.code == "P0303" for code in found.stored_codes))
        self.assertIn("cleared", " ".join(found.problems))

    def test_taken_in_on_the_page(self) -> None:
        frames, _, _ = self.heard()
        before = Scan.objects.count()
        upload = SimpleUploadedFile("yard.log", written(frames, ".log"))
        url = reverse("live:import_file", args=[self.case.pk])
        page = self.client.post(url, {"file": upload}, follow=True).content.decode()
        self.assertIn("are a scan", page)
        self.assertIn("are a recording", page)
        self.assertEqual(Scan.objects.count(), before + 1)
        self.assertIn("rpm", store.load(Recording.objects.latest("pk")).channels)
        self.assertIn("P0303", str(Scan.objects.latest("pk").snapshot))

    def test_what_cannot_be_read_is_told_and_nothing_stored(self) -> None:
        for content, suffix, words in (
            (b"no log at all\n", ".asc", "no frame|could not be read"),
            (b"\x00\x01\x02" * 40, ".blf", "could not be read"),
            (b"(1.0) can0 7E8#zz\n", ".log", "could not be read"),
            (b"", ".log", "no frame"),
            (b"x", ".pcap", "ends in one of"),
        ):
            with self.subTest(suffix), self.assertRaisesRegex(BadInput, words):
                read_frames(content, suffix)
        silent = [BusFrame(n * 0.1, 0x123, False, bytes(8), False) for n in range(20)]
        upload = SimpleUploadedFile("engine off.log", written(silent, ".log"))
        url = reverse("live:import_file", args=[self.case.pk])
        page = self.client.post(url, {"file": upload}, follow=True).content.decode()
        self.assertIn("no diagnostic answer among them", page)
        self.assertEqual(Recording.objects.count(), 0)

    def test_a_message_cut_short_is_left_out(self) -> None:
        whole = [
            BusFrame(1.0, 0x7E8, False, bytes.fromhex("100A490401414243"), False),
            BusFrame(1.1, 0x7E8, False, bytes.fromhex("2144454647000000"), False),
        ]
        self.assertEqual(messages(whole)[0].payload, bytes.fromhex("49040141424344454647"))
        self.assertEqual(messages(whole[:1]), [])

    def test_a_message_that_lacks_a_frame_in_its_middle_is_left_out(self) -> None:
        frames = [BusFrame(1.0, 0x7E8, False, bytes.fromhex("101449040141424344"[:16]), False)]
        frames += [BusFrame(1.0 + n, 0x7E8, False, bytes((0x20 | n,)) + bytes(7), False) for n in (1, 2)]
        self.assertEqual(len(messages(frames)), 1)
        self.assertEqual(messages([frames[0], frames[2]]), [])
        late = [frames[0], frames[2], *frames]
        self.assertEqual(len(messages(late)), 1)  # and what follows is read again
