"""Decoding on a device: used only where the very same traces come of it, else said."""

import unittest
from contextlib import ExitStack
from unittest.mock import patch

import numpy as np
from av.codec.hwaccel import HWAccel, hwdevices_available

from guardia.app.scripted.offline import analyse_files
from guardia.app.work.engine import Cluster
from guardia.core.base.errors import InvalidValue
from guardia.media import analysis
from guardia.media.analysis import analyse_clip, compared
from guardia.media.hardware import Hardware
from tests.support import FolderCase, steady, write_clip

DEVICE = "some device"


class Devices(FolderCase):
    def setUp(self):
        super().setUp()
        self.clip = write_clip(self.folder / "a.mp4", steady(3, 6))

    def with_device(self, *, decodes: bool) -> ExitStack:
        """FFmpeg knows a device; that it decodes there is only said, software does it."""
        stack = ExitStack()
        stack.enter_context(patch("guardia.media.hardware.hwdevices_available", return_value=[DEVICE]))
        stack.enter_context(patch.object(analysis, "decodes_on", return_value=decodes))
        self.opened = stack.enter_context(patch.object(Hardware, "opener", side_effect=self.no_device))
        return stack

    def no_device(self) -> HWAccel:
        raise OSError("no such device")

    def test_the_same_traces_are_said_and_the_device_is_used(self):
        with self.with_device(decodes=True):
            hardware, words = compared(self.clip, DEVICE)
            self.assertEqual(hardware, Hardware(DEVICE, "h264"))
            self.assertIn("is the same as by software", words)
            before = self.opened.call_count
            self.assertEqual(analyse_files([self.clip], time_zone="UTC", device=DEVICE)["decoding"], words)
            self.assertGreater(self.opened.call_count, before + 1)

    def test_other_traces_are_said_and_software_is_used(self):
        def otherwise(path, *, hardware=None, **options):
            done = analyse_clip(path, **options)
            if hardware is not None:
                done.trace.changed[...] = np.maximum(done.trace.changed, 1) - 1
            return done

        with self.with_device(decodes=True), patch.object(analysis, "analyse_clip", otherwise):
            hardware, words = compared(self.clip, DEVICE)
        self.assertIsNone(hardware)
        self.assertIn("traces would differ", words)

    def test_a_device_that_does_not_take_it_is_said(self):
        with self.with_device(decodes=False):
            self.assertEqual(compared(self.clip, DEVICE)[0], None)
            self.assertIn("does not decode h264", compared(self.clip, DEVICE)[1])

    def test_what_this_machine_has_gives_the_same_clips_or_says_so(self):
        plain = analyse_files([self.clip], time_zone="UTC")
        self.assertNotIn("decoding", plain)
        for device in hwdevices_available():
            result = analyse_files([self.clip], time_zone="UTC", device=device)
            self.assertRegex(result.pop("decoding"), "by software")
            self.assertEqual(result, plain)

    def test_a_cluster_whose_devices_nobody_compared_is_refused(self):
        with self.with_device(decodes=True), self.assertRaisesRegex(InvalidValue, "compared on this machine only"):
            analyse_files([self.clip], time_zone="UTC", device=DEVICE, cluster=Cluster("tcp://127.0.0.1:1"))

    def test_a_device_that_nobody_knows_is_refused(self):
        with self.assertRaisesRegex(InvalidValue, "cannot be decoded on 'abacus'"):
            analyse_files([self.clip], time_zone="UTC", device="abacus")


if __name__ == "__main__":
    unittest.main()
