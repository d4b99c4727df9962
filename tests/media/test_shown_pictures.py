"""Which pictures of a file are shown, when and how: edit lists, restarted times, lengths, rotation, pixel shape."""

import os
import unittest
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from guardia.core.base.errors import UnreadableClip
from guardia.core.trace.stack import TraceStack
from guardia.media.analysis import analyse_clip, decode_grey, key_pictures
from guardia.media.reader import pictures_at, pictures_length, probe, sampled_pictures
from tests.support import FolderCase, scene, square_at, steady, write_clip

EVERYWHERE = np.ones((18, 32), bool)


def moving(path: Path) -> tuple[float, float]:
    """First and last moment at which something as large as the square moves."""
    trace = analyse_clip(path).trace
    sizes = TraceStack([trace]).sizes(EVERYWHERE, contrast=27)
    times = trace.times_s[sizes >= 6 * 255]
    return float(times.min()), float(times.max())


def remux(source: Path, target: Path, change, *, options: dict[str, str] | None = None) -> Path:
    """Copy the packets, each changed by `change(packet, tick)`."""
    with av.open(str(source)) as read, av.open(str(target), "w", options=options or {}) as write:
        one = read.streams.video[0]
        other = write.add_stream_from_template(one)
        for packet in read.demux(one):
            if packet.size:
                change(packet, 1 / one.time_base)
                packet.stream = other
                write.mux(packet)
    return target


class TimesOfPictures(FolderCase):
    def test_an_edit_list_hides_pictures_and_moves_none_of_the_others(self):
        whole = write_clip(self.folder / "whole.mp4", steady(9, 10), options={"g": "250"})

        def earlier(packet, tick):
            packet.pts -= int(1.5 * tick)
            packet.dts -= int(1.5 * tick)

        cut = remux(whole, self.folder / "cut.mp4", earlier, options={"use_editlist": "1"})
        analysis = analyse_clip(cut)
        self.assertAlmostEqual(float(analysis.trace.times_s[0]), 0.0)
        self.assertAlmostEqual(analysis.length_s, 7.5, delta=0.2)
        begin, end = moving(cut)
        self.assertAlmostEqual(begin, 0.7, delta=0.3)
        self.assertAlmostEqual(end, 4.3, delta=0.3)
        strip = decode_grey(key_pictures(cut, [2.0, 3.0]))
        for at, part in zip((3.5, 4.5), np.split(strip, 2, axis=1), strict=True):
            left, width = square_at(at)
            middle = int((left + width / 2) * part.shape[1])
            self.assertGreater(part[int(0.55 * part.shape[0]), middle], 180)

    def test_files_put_end_to_end_go_on_where_the_first_ends(self):
        one = write_clip(self.folder / "one.ts", steady(7, 10)).read_bytes()
        both = self.folder / "both.ts"
        both.write_bytes(one + one)
        self.assertAlmostEqual(probe(both).duration_s, 14.0, delta=0.3)
        analysis = analyse_clip(both)
        self.assertAlmostEqual(analysis.length_s, 14.0, delta=0.3)
        self.assertGreater(analysis.trace.frames, 66)
        begin, end = moving(both)
        self.assertAlmostEqual(begin, 2.2, delta=0.3)
        self.assertAlmostEqual(end, 12.8, delta=0.4)

    def test_length_is_that_of_the_pictures(self):
        raw = self.folder / "raw.h264"
        with av.open(str(raw), "w", format="h264") as container:
            stream = container.add_stream("libx264", rate=10)
            stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
            for at in steady(4, 10):
                container.mux(stream.encode(av.VideoFrame.from_ndarray(scene(at), format="rgb24")))
            container.mux(stream.encode())
        live = self.folder / "live.mkv"
        with av.open(str(live), "w", options={"live": "1"}) as container:
            stream = container.add_stream("libx264", rate=10)
            stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
            stream.time_base = Fraction(1, 10)
            for number, at in enumerate(steady(4, 10)):
                frame = av.VideoFrame.from_ndarray(scene(at), format="rgb24")
                frame.pts, frame.time_base = number, Fraction(1, 10)
                container.mux(stream.encode(frame))
            container.mux(stream.encode())
        whole = write_clip(self.folder / "whole.mkv", steady(8, 10), options={"g": "10"})
        cut = self.folder / "cut.mkv"
        cut.write_bytes(whole.read_bytes()[: whole.stat().st_size // 2])
        self.assertTrue(1.0 < analyse_clip(cut).length_s < 6.0)
        self.assertAlmostEqual(pictures_length(live), 4.0, delta=0.15)
        self.assertAlmostEqual(probe(live).duration_s, 4.0, delta=0.15)
        rate = 25 if probe(raw).duration_s < 3 else 10  # a raw stream may not tell its rate; 25 is assumed then
        self.assertAlmostEqual(probe(raw).duration_s, 40 / rate, delta=0.15)

    def test_a_short_rest_after_a_minute_has_no_background_of_its_own(self):
        def walker(at):
            picture = np.full((90, 160, 3), 100, np.uint8)
            left = int(4 * (at % 30))
            picture[40:70, left : left + 12] = 200
            return picture

        clip = write_clip(self.folder / "long.mp4", steady(63, 5), picture=walker)
        blocks = [len(b.times_s) for b in sampled_pictures(clip, block_s=60.0)]
        self.assertEqual(blocks, [315])
        trace = analyse_clip(clip).trace
        sizes = TraceStack([trace]).sizes(EVERYWHERE, contrast=18)
        self.assertGreater(sizes[trace.times_s >= 60.0].min(), 0.6 * np.median(sizes))


class ShapesOfPictures(FolderCase):
    def test_a_clip_that_lies_on_its_side_is_measured_as_it_is_shown(self):
        upright = write_clip(self.folder / "upright.mp4", steady(7, 10))
        turned = self.folder / "turned.mp4"
        with av.open(str(upright)) as read, av.open(str(turned), "w") as write:
            one = read.streams.video[0]
            other = write.add_stream_from_template(one)
            other.set_display_rotation(90)
            for packet in read.demux(one):
                if packet.size:
                    packet.stream = other
                    write.mux(packet)
        self.assertEqual((probe(turned).width, probe(turned).height), (180, 320))
        (shown,) = pictures_at(turned, [4.0], width_px=180)
        (lying,) = pictures_at(upright, [4.0], width_px=320)
        self.assertEqual(shown.shape[:2], (320, 180))
        alike = [np.abs(np.rot90(lying, k).astype(int) - shown).mean() for k in (1, 3)]
        self.assertLess(min(alike), 3)
        trace = analyse_clip(turned).trace
        box = TraceStack([trace]).box_at(0, 4.0, contrast=18)
        # The square crosses the lying picture from left to right, so the turned one upwards or downwards.
        self.assertGreater(box[2] - box[0], 0.25)
        self.assertLess(box[3] - box[1], 0.25)

    def test_pixels_that_are_not_square_are_widened(self):
        path = self.folder / "wide.mkv"
        with av.open(str(path), "w") as container:
            stream = container.add_stream("libx264", rate=10)
            stream.width, stream.height, stream.pix_fmt = 352, 576, "yuv420p"
            stream.codec_context.sample_aspect_ratio = Fraction(24, 11)
            for number in range(10):
                frame = av.VideoFrame.from_ndarray(scene(number / 10, width=352, height=576), format="rgb24")
                frame.pts, frame.time_base = number, Fraction(1, 10)
                container.mux(stream.encode(frame))
            container.mux(stream.encode())
        info = probe(path)
        self.assertEqual((info.width, info.height), (768, 576))
        self.assertEqual(next(iter(sampled_pictures(path))).luma.shape[1:], (240, 320))


class NamesOfFiles(FolderCase):
    def test_a_colon_is_no_protocol_and_a_name_need_be_no_text(self):
        before = os.getcwd()
        self.addCleanup(os.chdir, before)
        made = write_clip(self.folder / "a.mp4", steady(1, 5)).read_bytes()
        (self.folder / "2026-11-20T10:00:00.mp4").write_bytes(made)
        strange = os.fsencode(self.folder) + b"/caf\xe9.mp4"
        Path(os.fsdecode(strange)).write_bytes(made)
        os.chdir(self.folder)
        for path in (Path("2026-11-20T10:00:00.mp4"), Path(os.fsdecode(b"caf\xe9.mp4"))):
            self.assertEqual(probe(path).width, 320)

    def test_what_can_never_be_measured_is_refused_at_the_first_look(self):
        tiny = write_clip(self.folder / "tiny.mkv", steady(1, 5), picture=lambda _t: np.zeros((16, 16, 3), np.uint8))
        with self.assertRaisesRegex(UnreadableClip, "too small"):
            probe(tiny)


if __name__ == "__main__":
    unittest.main()
