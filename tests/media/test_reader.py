import os
import subprocess
import sys
import unittest
from datetime import UTC, datetime
from unittest.mock import patch
from zoneinfo import ZoneInfo

import av
import numpy as np

from guardia.core.base.errors import UnreadableClip
from guardia.core.evidence.clock import time_in_name
from guardia.core.trace.stack import TraceStack
from guardia.media.analysis import (
    KEY_PICTURES,
    analyse_clip,
    clean_view,
    decode_grey,
    encode_jpeg,
    key_pictures,
    key_times,
    lifted,
)
from guardia.media.reader import clip_start, open_video, pictures_at, probe, sampled_pictures
from guardia.media.timeline import Timeline
from tests.media.plain_processor import trace_digest
from tests.support import FolderCase, scene, steady, write_clip

LONDON = ZoneInfo("Europe/London")
EVERYWHERE = np.ones((18, 32), bool)


class ForTheEye(unittest.TestCase):
    def test_a_night_is_brightened_and_black_and_white_stay(self):
        night = np.full((40, 40, 3), 20, np.uint8)
        night[:10], night[-10:] = 0, 255
        grey = decode_grey(lifted(encode_jpeg(night, quality=95)))
        self.assertGreater(int(grey[20, 20]), 45)
        self.assertTrue(grey[2, 2] < 6 and grey[-2, -2] > 249)
        self.assertEqual(lifted(b"no picture"), b"no picture")


class GoodClips(FolderCase):
    def test_constant_rate_is_sampled_at_exact_times(self):
        clip = write_clip(self.folder / "a.mp4", steady(8, 12.5))
        times = next(iter(sampled_pictures(clip))).times_s
        expected = [t for n in range(40) for t in [min(s for s in steady(9, 12.5) if s >= n / 5 - 1e-9)] if t < 8]
        np.testing.assert_allclose(times, sorted(set(expected)), atol=0.0011)

    def test_variable_rate_takes_the_first_picture_at_or_after_each_tick(self):
        times = [0.0, 0.05, 0.21, 0.22, 0.5, 1.3, 1.31, 1.39, 1.41, 2.0]
        for name in ("v.mp4", "v.mkv"):
            with self.subTest(name):
                clip = write_clip(self.folder / name, times)
                sampled = next(iter(sampled_pictures(clip))).times_s
                np.testing.assert_allclose(sampled, [0.0, 0.21, 0.5, 1.3, 1.41, 2.0], atol=0.0011)

    def test_leaving_unreferenced_frames_undecoded_changes_no_picture(self):
        clip = write_clip(self.folder / "b.mp4", steady(6, 25), options={"bf": "3", "b-pyramid": "none", "g": "25"})
        block = next(iter(sampled_pictures(clip)))
        with open_video(clip) as (container, stream):
            frames = sorted(container.decode(stream), key=lambda f: f.pts)
            every = {round(float((f.pts - frames[0].pts) * stream.time_base), 3): f for f in frames}
            self.assertEqual(len(every), 150)
            for at, luma in zip(block.times_s.tolist(), block.luma, strict=True):
                whole = every[round(at, 3)].reformat(format="gray").to_ndarray()
                np.testing.assert_array_equal(luma, whole)

    def test_pictures_that_nothing_taken_rests_on_are_left_out_and_no_other_picture_changes(self):
        kinds = {
            "p.mp4": ("libx264", {"bf": "0", "g": "25"}),
            "pyramid.mp4": ("libx264", {"bf": "3", "b-pyramid": "normal", "g": "20"}),
            "open.mkv": ("libx264", {"bf": "3", "g": "15", "x264-params": "open-gop=1"}),
            "refresh.mp4": ("libx264", {"g": "30", "x264-params": "intra-refresh=1"}),
            "hevc.mp4": ("libx265", {"x265-params": "keyint=20:log-level=error"}),
            "old.mkv": ("mpeg4", {"g": "12", "bf": "2"}),
        }
        for name, (codec, options) in kinds.items():
            clip = write_clip(self.folder / name, steady(5, 25), codec=codec, options=options)
            fewer = next(iter(sampled_pictures(clip)))
            with patch("guardia.media.timeline.Timeline.not_needed", lambda _self, _taken: frozenset()):
                every = next(iter(sampled_pictures(clip)))
            with self.subTest(name):
                np.testing.assert_array_equal(fewer.times_s, every.times_s)
                np.testing.assert_array_equal(fewer.luma, every.luma)
        order = tuple((n, n % 10 == 0) for n in range(25))
        line = Timeline(list(range(25)), 0.04, 1.0, order)
        self.assertEqual(
            line.not_needed(frozenset({0, 5, 10, 15, 20})), frozenset({*range(6, 10), *range(16, 20), *range(21, 25)})
        )
        leading = ((0, True), (1, False), (5, True), (3, False), (4, False))
        line = Timeline([0, 1, 3, 4, 5], 0.04, 1.0, leading)
        self.assertEqual(line.not_needed(frozenset({0, 3})), frozenset({4}), "3 is shown before 5 and may rest on 1")
        self.assertEqual(line.not_needed(frozenset({0, 5})), frozenset({1, 3, 4}))

    def test_a_plain_processor_gives_the_same_traces_as_this_one(self):
        clips = [
            write_clip(self.folder / "h.mp4", steady(4, 10), picture=lambda t: scene(t, width=1000, height=564)),
            write_clip(self.folder / "m.avi", steady(4, 10), codec="mpeg4", picture=lambda t: scene(t, width=704)),
        ]
        without = " ".join(np.show_config("dicts")["SIMD Extensions"]["found"])
        process = subprocess.run(
            [sys.executable, "-m", "tests.media.plain_processor", *map(str, clips)],
            env={**os.environ, "NPY_DISABLE_CPU_FEATURES": without, "JSIMD_FORCENONE": "1"},
            capture_output=True,
            text=True,
            check=True,
        )
        flags, *theirs = process.stdout.split()
        self.assertEqual(flags, "0", "FFmpeg still uses special instructions")
        self.assertEqual(theirs, [trace_digest(clip) for clip in clips])

    def test_blocks_join_to_the_same_pictures_as_one(self):
        clip = write_clip(self.folder / "c.mp4", steady(7, 10))
        blocks = list(sampled_pictures(clip, block_s=2.0))
        whole = next(iter(sampled_pictures(clip)))
        self.assertEqual([len(b.times_s) for b in blocks], [10, 10, 15])
        np.testing.assert_array_equal(np.concatenate([b.luma for b in blocks]), whole.luma)

    def test_another_codec_and_a_picture_that_does_not_divide_into_the_grid(self):
        clip = write_clip(
            self.folder / "d.avi", steady(7, 10), codec="mpeg4", picture=lambda t: scene(t, width=352, height=288)
        )
        trace = analyse_clip(clip).trace
        sizes = TraceStack([trace]).sizes(EVERYWHERE, contrast=27)
        moving = trace.times_s[sizes >= 6]
        self.assertAlmostEqual(moving.min(), 2.2, delta=0.25)
        self.assertAlmostEqual(moving.max(), 5.8, delta=0.25)
        self.assertEqual(probe(clip).codec, "mpeg4")
        clip = self.folder / "of-today.mkv"
        with patch.dict(os.environ, SVT_LOG="1"), av.open(str(clip), "w") as container:
            stream = container.add_stream("libsvtav1", rate=10)
            stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
            for at in range(10):
                container.mux(stream.encode(av.VideoFrame.from_ndarray(scene(at / 10), format="rgb24")))
            container.mux(stream.encode())
        self.assertEqual(probe(clip).codec, "av1", "a codec bears its own name, not that of what decodes it")

    def test_the_trace_follows_the_square_and_its_key_pictures_show_it(self):
        clip = write_clip(self.folder / "e.mp4", steady(8, 10))
        analysis = analyse_clip(clip)
        stack = TraceStack([analysis.trace])
        for at in (3.0, 4.0, 5.0):
            left, _, right, _ = stack.box_at(0, at, contrast=18)
            self.assertAlmostEqual(left, (at - 2) / 4, delta=0.05)
            self.assertAlmostEqual(right, (at - 2) / 4 + 0.15, delta=0.05)
        self.assertIsNone(stack.box_at(0, 1.0, contrast=18))
        times = key_times(analysis.trace, 2.2, 5.8, contrast=18)
        self.assertEqual((len(times), times), (KEY_PICTURES, sorted(times)))
        strip = decode_grey(key_pictures(clip, times))
        for part in np.split(strip, KEY_PICTURES, axis=1):
            self.assertGreater((part > 190).mean(), 0.01)
        empty = decode_grey(clean_view([(clip, 8.0)]))
        self.assertLess((empty > 190).mean(), 0.001)

    def test_pictures_past_the_end_are_the_last_one(self):
        clip = write_clip(self.folder / "f.mp4", steady(2, 10))
        first, last = pictures_at(clip, [1.9, 99.0], width_px=160)
        np.testing.assert_array_equal(first, last)


class StartOfAClip(FolderCase):
    def test_start_times_in_file_names(self):
        for name, expected in (
            ("gate_20260907_075950.mp4", (2026, 9, 7, 7, 59, 50)),
            ("2026-09-07 07-59-50 yard.mkv", (2026, 9, 7, 7, 59, 50)),
            ("2026-09-07 07.59.50 PM.mp4", (2026, 9, 7, 19, 59, 50)),
            ("cam 2026-09-07_12-05-00 AM.mp4", (2026, 9, 7, 0, 5)),
            ("A01.20260907T075950Z.ts", (2026, 9, 7, 7, 59, 50, 0, UTC)),
            ("A01_20260907T075950+0100.ts", (2026, 9, 7, 6, 59, 50, 0, UTC)),
            ("SN20451231235959-cam_20260907075950.mp4", (2026, 9, 7, 7, 59, 50)),
            ("2026_09_07_07h59m50.avi", (2026, 9, 7, 7, 59, 50)),
            ("A01_20260907T075950.250Z.ts", (2026, 9, 7, 7, 59, 50, 0, UTC)),
            ("A01_20260907_075950_UTC.ts", (2026, 9, 7, 7, 59, 50, 0, UTC)),
            ("A01_20260907075950-0500.ts", (2026, 9, 7, 12, 59, 50, 0, UTC)),
            ("A01_20260907T075950+01-00.ts", (2026, 9, 7, 6, 59, 50, 0, UTC)),
            ("A01_20260907_075950_001.ts", (2026, 9, 7, 7, 59, 50)),
            ("A01_20260907_075950-080010.ts", (2026, 9, 7, 7, 59, 50)),
            ("2026-09-07 07.59.50\u202fPM.mp4", (2026, 9, 7, 19, 59, 50)),
            ("SN20191231235959-cam_20260907075950.mp4", (2026, 9, 7, 7, 59, 50)),
            ("cam_20260907075950_20260907080010.mp4", (2026, 9, 7, 7, 59, 50)),
            ("SN20191231235959_20260907075950_20260907080010.mp4", (2026, 9, 7, 7, 59, 50)),
        ):
            with self.subTest(name):
                self.assertEqual(time_in_name(name, latest=datetime(2026, 12, 1, tzinfo=UTC)), datetime(*expected))
        counted = time_in_name("A01_20260907075950-0500.ts", behind=False)
        self.assertEqual(counted, datetime(2026, 9, 7, 7, 59, 50), "where other files bear other numbers there")
        self.assertEqual(
            time_in_name("07-09-2026 075950-0500.ts", "%d-%m-%Y %H%M%S%z"), datetime(2026, 9, 7, 12, 59, 50, 0, UTC)
        )
        for name in ("clip0001.mp4", "20261399_996161.mp4", "120260907_0759501.mp4", ""):
            with self.subTest(name):
                self.assertIsNone(time_in_name(name))

    def test_name_before_metadata_before_file_date(self):
        stamp = "2026-03-01T06:07:08.000000Z"
        named = write_clip(self.folder / "x_20260907_075950.mp4", steady(1, 5), created=stamp)
        self.assertEqual(clip_start(named, probe(named), LONDON)[1], "file name")
        told = write_clip(self.folder / "x.mp4", steady(1, 5), created=stamp)
        start, source = clip_start(told, probe(told), LONDON)
        self.assertEqual((start, source), (datetime(2026, 3, 1, 6, 7, 8, tzinfo=UTC), "metadata"))
        epoch = write_clip(self.folder / "y.mp4", steady(1, 5), created="1904-01-01T00:00:00.000000Z")
        self.assertEqual(clip_start(epoch, probe(epoch), LONDON)[1], "file date")


class PartsOfFiles(FolderCase):
    """Containers as cameras and people leave them: cut off, put end to end, with a hole."""

    KINDS = (("mp4", "libx264"), ("mkv", "libx264"), ("flv", "libx264"), ("ts", "libx264"), ("avi", "mpeg4"))

    def test_how_much_of_a_joined_or_cut_file_is_read_is_said(self):
        said = {
            ("mp4", "joined"): ("The last 5[01]% of the file", 6), ("mkv", "joined"): ("2 recordings are joined", 12),
            ("flv", "joined"): ("The last 50% of the file", 6), ("ts", "joined"): ("2 recordings are joined", 12),
            ("avi", "joined"): ("Its header says 6.0 s, and 12.0 s can be read", 12),
            ("mkv", "cut"): ("Its header says 6.0 s, and 3.. s can be read: it may be cut", 3.6),
            ("flv", "cut"): ("Its header says 6.. s, and 3.. s can be read: it may be cut", 3.6),
        }  # fmt: skip
        for suffix, codec in self.KINDS:
            # Noise, so that even the largest container is small beside its pictures.
            noisy = np.random.default_rng(1).integers(0, 255, (80, 180, 320, 3)).astype(np.uint8)
            clip = self.folder / f"a.{suffix}"
            with av.open(str(clip), "w") as container:
                stream = container.add_stream(codec, rate=10)
                stream.width, stream.height, stream.pix_fmt, stream.gop_size = 320, 180, "yuv420p", 10
                for picture in noisy[:60]:
                    container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
                container.mux(stream.encode())
            data = clip.read_bytes()
            self.assertEqual(analyse_clip(clip).notes, (), suffix)
            for name, content in (("joined", data * 2), ("cut", data[: int(len(data) * 0.6)])):
                if (suffix, name) not in said:
                    continue
                words, length_s = said[suffix, name]
                clip.write_bytes(content)
                found = analyse_clip(clip)
                with self.subTest(suffix, name=name):
                    self.assertRegex(" ".join(found.notes), words)
                    self.assertAlmostEqual(found.length_s, length_s, delta=0.75)

    def test_a_bare_stream_is_read_at_the_rate_that_it_says_and_that_is_told(self):
        clip = self.folder / "bare.h264"
        with av.open(str(clip), "w", format="h264") as container:
            stream = container.add_stream("libx264", rate=10)
            stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
            for at in steady(4, 10):
                container.mux(stream.encode(av.VideoFrame.from_ndarray(scene(at), format="rgb24")))
            container.mux(stream.encode())
        found = analyse_clip(clip)
        self.assertEqual((found.length_s, probe(clip).duration_s, found.trace.frames), (4.0, 4.0, 20))
        self.assertEqual(found.notes, ("Its pictures carry no times: they are read as 10 a second.",))

    def test_a_hole_in_time_is_said(self):
        clip = write_clip(self.folder / "hole.mp4", [*steady(3, 10), *(300 + t for t in steady(3, 10))])
        self.assertEqual(analyse_clip(clip).notes, ("There is no picture for 297 s after 3 s.",))


class BadClips(FolderCase):
    def refused(self, path, word):
        with self.assertRaisesRegex(UnreadableClip, word) as caught:
            analyse_clip(path)
        self.assertIn(path.name, caught.exception.what)

    def test_files_that_are_no_clips_are_named_with_the_reason(self):
        (self.folder / "empty.mp4").touch()
        (self.folder / "notes.mp4").write_text("not a video, " * 500)
        (self.folder / "noise.avi").write_bytes(np.random.default_rng(1).bytes(60_000))
        self.refused(self.folder / "empty.mp4", "0 bytes")
        self.refused(self.folder / "gone.mp4", "no such file")
        for name in ("notes.mp4", "noise.avi"):
            self.refused(self.folder / name, "not a video|no moving picture|damaged")

    def test_sound_alone_is_no_clip(self):
        path = self.folder / "sound.mp4"
        with av.open(str(path), "w") as container:
            stream = container.add_stream("aac", rate=16000)
            silence = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), format="fltp", layout="mono")
            silence.sample_rate = 16000
            container.mux(stream.encode(silence))
            container.mux(stream.encode())
        self.refused(path, "no moving picture")

    def test_a_picture_smaller_than_the_grid_is_refused(self):
        tiny = write_clip(self.folder / "tiny.mkv", steady(1, 5), picture=lambda _t: np.zeros((16, 16, 3), np.uint8))
        self.refused(tiny, "too small")

    def test_a_clip_cut_off_in_the_middle_gives_what_is_there(self):
        whole = write_clip(self.folder / "whole.ts", steady(8, 10)).read_bytes()
        cut = self.folder / "cut.ts"
        cut.write_bytes(whole[: len(whole) // 2])
        trace = analyse_clip(cut).trace
        self.assertTrue(5 < trace.frames < 40)

    def test_an_mp4_without_its_index_is_refused_and_a_damaged_middle_is_survived(self):
        whole = bytearray(write_clip(self.folder / "whole.mp4", steady(8, 10), options={"g": "10"}).read_bytes())
        headless = self.folder / "headless.mp4"
        headless.write_bytes(whole[: len(whole) // 2])
        self.refused(headless, "damaged")
        middle = len(whole) // 2
        whole[middle : middle + 400] = bytes(400)
        spoilt = self.folder / "spoilt.mp4"
        spoilt.write_bytes(whole)
        self.assertGreater(analyse_clip(spoilt).trace.frames, 20)


if __name__ == "__main__":
    unittest.main()
