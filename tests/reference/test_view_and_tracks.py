"""View geometry and tracks against outside libraries and published values, each named where it is used."""

import base64
import math
import unittest
import warnings
from importlib.resources import files
from pathlib import Path

import cv2
import motmetrics
import numpy as np
from PIL import Image

from guardia.benchcam import scene as bench
from guardia.benchcam.actors import Walker
from guardia.benchcam.tern_quay import PLACES, build_scene
from guardia.core.evidence.clips import Origin
from guardia.core.view.calibration import PersonMark, calibrate, calibrate_robustly
from guardia.core.view.geometry import LADDER, ViewGeometry, real_heights, view_from_lens
from guardia.core.view.tracks import TRACK_ERROR, farthest_walk, follow, tracks_of, walk_marks
from guardia.formats.mot import read_mot
from guardia.media.analysis import fine_tracks
from guardia.report.motion_cells import pack_cells
from guardia.store.project import Project
from tests.support import DEMO

WIDTH, HEIGHT = 1920, 1080
TRUE_VIEW = ViewGeometry(bench.CAMERA_HEIGHT_M, math.degrees(bench.TILT_RAD), bench.FOCAL_PX / bench.WIDTH)


def matrix(view):
    focal = view.focal * WIDTH
    return np.array([[focal, 0, WIDTH / 2], [0, focal, HEIGHT / 2], [0, 0, 1]])


def pose(view):
    """OpenCV's rotation and translation of the camera, in a world whose y points down."""
    tilt = math.radians(view.tilt_deg)
    turn = np.array([[1, 0, 0], [0, math.cos(tilt), -math.sin(tilt)], [0, math.sin(tilt), math.cos(tilt)]])
    return cv2.Rodrigues(turn)[0], -turn @ np.array([0, -view.height_m, 0.0])


DOWN = np.array([1, -1, 1])
"""Turns a place with its height above the ground into one of OpenCV's world."""


class AgainstOpenCV(unittest.TestCase):
    def test_places_fall_where_projectpoints_puts_them(self):
        rng = np.random.default_rng(4)
        for _ in range(40):
            view = ViewGeometry(rng.uniform(2, 8), rng.uniform(0, 60), rng.uniform(0.4, 2))
            places = np.stack([rng.uniform(-8, 8, 9), rng.uniform(0, 2, 9), rng.uniform(6, 40, 9)], axis=1)
            rotation, shift = pose(view)
            expected = cv2.projectPoints(places * DOWN, rotation, shift, matrix(view), None)[0][:, 0] / [WIDTH, HEIGHT]
            np.testing.assert_allclose(view.to_picture(places), expected, atol=1e-9)
            ground = places * [1, 0, 1]
            np.testing.assert_allclose(view.to_ground(view.to_picture(ground)), ground[:, [0, 2]], atol=1e-6)

    def test_fields_of_view_are_those_of_calibrationmatrixvalues(self):
        for focal_mm, sensor_mm in ((2.8, 5.37), (3.6, 4.8), (4.0, 5.12), (12.0, 7.18)):
            view = view_from_lens(height_m=3, tilt_deg=10, focal_mm=focal_mm, sensor_width_mm=sensor_mm)
            across, upright, *_ = cv2.calibrationMatrixValues(
                matrix(view), (WIDTH, HEIGHT), sensor_mm, sensor_mm * 9 / 16
            )
            self.assertAlmostEqual(view.width_deg, across, places=6)
            self.assertAlmostEqual(view.upright_deg, upright, places=6)
        # A 3.6 mm lens on a sensor 4.8 mm wide: 67.4 degrees (lens makers' tables, from memory).
        self.assertAlmostEqual(
            view_from_lens(height_m=3, tilt_deg=0, focal_mm=3.6, sensor_width_mm=4.8).width_deg, 67.4, 1
        )

    def test_calibration_finds_the_view_that_solvepnp_finds_from_known_places(self):
        rng = np.random.default_rng(7)
        view = ViewGeometry(3.1, 17.0, 0.9)
        places = [(-1.0, 6.0), (1.5, 9.0), (-2.0, 13.0), (0.5, 18.0)]
        ends = np.array([[(x, 0.0, z), (x, 1.75, z)] for x, z in places])
        seen = view.to_picture(ends.reshape(-1, 3)) + rng.normal(0, 0.0008, (8, 2))
        _, rotation, shift = cv2.solvePnP(ends.reshape(-1, 3) * DOWN, seen * [WIDTH, HEIGHT], matrix(view), None)
        position = -cv2.Rodrigues(rotation)[0].T @ shift
        marks = [PersonMark(tuple(seen[2 * n]), tuple(seen[2 * n + 1]), 1.75) for n in range(4)]
        found = calibrate(marks, focal=0.9)
        self.assertAlmostEqual(found.view.height_m, -float(position[1, 0]), delta=0.15)
        self.assertAlmostEqual(found.view.tilt_deg, 17.0, delta=1.0)
        self.assertLess(found.rms, 0.004)
        # Without the lens the heights of persons still come out right; that is what it is for.
        blind = calibrate(marks)
        feet, tops = seen[::2], seen[1::2, 1]
        np.testing.assert_allclose(real_heights(blind.view, feet, tops), 1.75, rtol=0.05)
        self.assertIn("lens is not known", " ".join(blind.assumed))

    def test_the_ladder_holds_out_to_the_distance_where_the_picture_is_as_wide_as_it_says(self):
        """The picture is 2 d tan(a / 2) wide at distance d, px/m its pixels over that. Ladder: IEC 62676-4, memory."""
        self.assertEqual([d for _, d in LADDER], [12.5, 25.0, 62.5, 125.0, 250.0, 1000.0])
        level = ViewGeometry(1.0, 0.0, 0.8)
        for _, density in LADDER[:4]:
            distance = level.distance_for(density, WIDTH)
            wide = 2 * distance * math.tan(math.radians(level.width_deg / 2))
            self.assertAlmostEqual(WIDTH / wide, density, delta=0.01 * density)


def score(truth, tracks, distance, limit):
    """motmetrics' MOTA and IDF1; both as lists of (frame, id, value)."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of the outside library about its own use of pandas
        kept = motmetrics.MOTAccumulator(auto_id=False)
        for frame in sorted({f for f, *_ in truth} | {f for f, *_ in tracks}):
            there = [(i, v) for f, i, v in truth if f == frame]
            found = [(i, v) for f, i, v in tracks if f == frame]
            gap = np.array([[distance(a, b) for _, b in found] for _, a in there]).reshape(len(there), len(found))
            kept.update([i for i, _ in there], [i for i, _ in found], np.where(gap > limit, np.nan, gap), frameid=frame)
        made = motmetrics.metrics.create().compute(kept, metrics=["mota", "idf1"], name="x")
    return float(made["mota"].iloc[0]), float(made["idf1"].iloc[0])


def lack_of_overlap(one, two):
    left, top = np.maximum(one[:2], two[:2])
    right, bottom = np.minimum(one[:2] + one[2:], two[:2] + two[2:])
    common = max(0.0, right - left) * max(0.0, bottom - top)
    return 1 - common / (one[2] * one[3] + two[2] * two[3] - common)


class AgainstMotmetrics(unittest.TestCase):
    def test_boxes_without_their_numbers_are_joined_to_tracks_again(self):
        """Sequences of the MOTChallenge that motmetrics ships: true boxes as detections, numbers taken away."""
        for name, least in (("TUD-Campus", (0.9, 0.75)), ("TUD-Stadtmitte", (0.9, 0.75))):
            path = Path(str(files(motmetrics) / "data" / name / "gt.txt"))
            boxes, _ = read_mot(path, rate_hz=25.0, width_px=640, height_px=480)
            frames = np.round(boxes.times_s * 25).astype(int)
            numbers = sorted(set(frames.tolist()))
            found = follow(np.array(numbers) / 25.0, [boxes.box[frames == n] for n in numbers])
            truth = [(f, int(i), b) for f, i, b in zip(frames.tolist(), boxes.object_id, boxes.box, strict=True)]
            tracks = [(round(t * 25), n, b) for n, k in enumerate(found) for t, b in zip(k.times_s, k.box, strict=True)]
            mota, idf1 = score(truth, tracks, lack_of_overlap, 0.5)
            print(f"tracks on {name}: MOTA {mota:.2f}, IDF1 {idf1:.2f}")
            self.assertGreater(mota, least[0])
            self.assertGreater(idf1, least[1])

    def test_persons_of_a_sequence_are_as_tall_as_persons_once_it_is_calibrated(self):
        """TUD-Stadtmitte's true boxes: a view from ten of them, taken as 1.72 m tall, and the heights of all."""
        path = Path(str(files(motmetrics) / "data" / "TUD-Stadtmitte" / "gt.txt"))
        boxes, _ = read_mot(path, rate_hz=25.0, width_px=640, height_px=480)
        feet = np.stack([boxes.box[:, 0] + boxes.box[:, 2] / 2, boxes.box[:, 1] + boxes.box[:, 3]], axis=1)
        order = np.argsort(feet[:, 1])
        chosen = order[np.round(np.linspace(0.02, 0.98, 10) * (len(order) - 1)).astype(int)]
        marks = [PersonMark(tuple(feet[n]), (feet[n, 0], boxes.box[n, 1]), 1.72) for n in chosen]
        found = calibrate(marks, aspect=480 / 640, mark_error=0.02)
        heights = real_heights(found.view, feet, boxes.box[:, 1])
        low, middle, high = np.nanpercentile(heights, [10, 50, 90])
        print(f"TUD-Stadtmitte: heights {low:.2f} to {high:.2f} m, median {middle:.2f} m")
        self.assertTrue(1.5 <= middle <= 1.9, middle)
        self.assertLess(high - low, 0.6)

    def test_the_walk_tests_person_is_followed_on_the_demos_truth(self):
        """The person's feet by the bench camera's scene against the main track's, within 6 % of the picture's width."""
        followed, heights = [], []
        with Project(DEMO) as project:
            for camera in project.cameras.all():
                scene = build_scene(next(p for p in PLACES if p.name == camera.name))
                event = next(e for e in scene.events if abs(e.begin_s - scene.walk_test_s - 4) < 0.01)
                (walker,) = event.actors
                self.assertIsInstance(walker, Walker)
                evidence = project.evidence(camera.id)
                index = next(n for n, c in enumerate(evidence.clips) if c.origin is Origin.WALK_TEST)
                found = tracks_of(evidence.stack, index, 0.0, evidence.clips[index].duration_s)
                moving = [t for t in found if np.ptp(t.feet, axis=0).max() > 0.15]
                truth, tracks = [], []
                for number, at in enumerate(evidence.stack.times[index]):
                    if (place := walker.place(scene.walk_test_s + at)) is not None:
                        truth.append((number, 0, TRUE_VIEW.to_picture(np.array([[place[0], 0, place[1]]]))[0]))
                times = {round(t, 6): n for n, t in enumerate(evidence.stack.times[index])}
                for n, track in enumerate(moving):
                    tracks += [(times[round(t, 6)], n, f) for t, f in zip(track.times_s, track.feet, strict=True)]
                seen = {f for f, *_ in truth}
                tracks = [t for t in tracks if t[0] in seen]
                _, idf1 = score(truth, tracks, lambda a, b: float(np.hypot(*(a - b))), 0.06)
                followed.append(idf1)
                longest = max(moving, key=lambda t: t.duration_s)
                heights.append(float(np.nanmedian(real_heights(TRUE_VIEW, longest.feet, longest.box[:, 1]))))
        print("walk tests: IDF1", [round(v, 2) for v in followed], "median heights", [round(h, 2) for h in heights])
        self.assertGreater(float(np.median(followed)), 0.7)
        # The person is 1.75 m tall.
        self.assertTrue(all(1.5 <= h <= 1.9 for h in heights), heights)

    def test_walk_tests_give_the_distances_of_the_scene(self):
        """With the lens known as it is on a data sheet; the demo's scenes are our own, so this holds for them only."""
        ratios, free = [], []
        with Project(DEMO) as project:
            for camera in project.cameras.all():
                clip = next(c for c in project.evidence(camera.id).clips if c.origin is Origin.WALK_TEST)
                marks = walk_marks(farthest_walk(fine_tracks(project.clips.path(clip.id))), height_m=1.75)
                shown = TRUE_VIEW.to_picture(np.array([[0.0, 0.0, 10.0], [0.0, 0.0, 20.0]]))
                for lens, told in ((TRUE_VIEW.focal, ratios), (None, free)):
                    known = calibrate_robustly(marks, focal=lens, mark_error=TRACK_ERROR)
                    told.append(known.view.to_ground(shown)[:, 1] / (10.0, 20.0))
        print("walk tests: distances at 10 and 20 m over the true ones, lens known", np.round(ratios, 2).tolist())
        print("walk tests: likewise, lens not known", np.round(free, 2).tolist())
        self.assertLess(float(np.abs(np.array(ratios) - 1).max()), 0.2)
        self.assertLess(float(np.median(np.abs(np.array(ratios) - 1))), 0.07)
        self.assertLess(float(np.median(np.abs(np.array(free) - 1))), 0.3)


class AgainstPillow(unittest.TestCase):
    def test_packed_cell_masks_are_unpacked_by_pillows_packbits_decoder(self):
        rng = np.random.default_rng(9)
        masks = [np.zeros((18, 22), bool), np.ones((18, 22), bool), np.eye(18, 22, dtype=bool)]
        masks += [rng.random((18, 32)) < share for share in (0.02, 0.3, 0.5, 0.97)]
        masks += [np.repeat(rng.random((60, 1)) < 0.5, 320, axis=1)]
        for mask in masks:
            packed = base64.b64decode(pack_cells(mask))
            bits = mask.size + -mask.size % 8
            # One row of whole bytes, as the form knows no padding between its rows.
            read = Image.frombytes("1", (bits, 1), packed, "packbits", "1")
            np.testing.assert_array_equal(np.array(read).ravel()[: mask.size], mask.ravel())
