"""The motion model against a second implementation written from docs/motion-model.md, picture by picture."""

import unittest
from itertools import pairwise

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from guardia.core.evidence.clips import Origin
from guardia.core.make.settings import Settings
from guardia.core.replay.replay import replay
from guardia.core.trace.measure import CONTRAST_LEVELS, sparse_trace
from guardia.core.trace.stack import FILL_LIMIT, TraceStack
from guardia.store.project import Project
from tests.support import DEMO, evidence_of, pontoon, tried

AROUND = np.ones((3, 3), int)


def groups_of(picture):
    """Groups of one picture: their cells as a flag array."""
    labels, count = ndimage.label(picture >= 255 * FILL_LIMIT, AROUND)
    return [labels == n for n in range(1, count + 1)]


def box_of(group):
    rows, columns = np.nonzero(group)
    return columns.min(), rows.min(), columns.max(), rows.max()


def parts_by_hand(pictures, times, order):
    """Step 3, things: walk the pictures in one direction and take groups apart by what they go back to."""
    made: dict[tuple[int, int], list[tuple]] = {}
    groups = {f: groups_of(pictures[f]) for f in order}

    def linked(one, other):
        """Numbers of groups of a picture whose boxes, one of them widened by a cell, overlap a group's."""
        a = box_of(one)
        return [
            n
            for n, g in enumerate(groups.get(other, []))
            if g.sum() >= 2 and all(a[i] - 1 <= box_of(g)[i + 2] and box_of(g)[i] <= a[i + 2] + 1 for i in (0, 1))
        ]

    for before, frame in zip([None, *order], order, strict=False):
        for number, group in enumerate(groups[frame]):
            if before is None or group.sum() < 2 or not (sources := linked(group, before)):
                continue
            found, whole = [], []
            for source in sources:
                other = groups[before][source]
                if (before, source) in made:
                    found += made[before, source]
                    continue
                found.append((box_of(other), int(pictures[before][other].sum()), times[before]))
                step = order.index(before)
                whole.append({*linked(other, order[step - 1])} if step else set())
            if len(whole) > 1 and (not all(whole) or sum(map(len, whole)) != len(set().union(*whole))):
                continue
            largest = max(f[1] for f in found)
            found = sorted((f for f in found if f[1] >= 0.2 * largest), key=lambda f: f[0][:2])
            apart = all(x[0][2] < y[0][0] for x, y in pairwise(found))
            if len(found) < 2 or not apart or any(abs(times[frame] - f[2]) > 5 for f in found):
                continue
            middles = np.array([(f[0][0] + f[0][2]) / 2 for f in found])
            parts = []
            for place, source in enumerate(found):
                mine = group & (np.abs(np.arange(32)[:, None] - middles).argmin(axis=1) == place)[None, :]
                if mine.any():
                    parts.append((box_of(mine), int(pictures[frame][mine].sum()), source[2]))
            if len(parts) > 1:
                made[frame, number] = parts
    return made


def sizes_by_labelling(dense, zone, contrast, zone_test, times=None):
    """Step 3 and 4: label every picture with scipy.ndimage and take the largest that counts, in 255ths of a cell."""
    pictures = dense[..., CONTRAST_LEVELS.index(contrast)]
    if zone_test == "pixels":
        return np.array([max([int(p[g].sum()) for g in groups_of(np.where(zone, p, 0))], default=0) for p in pictures])
    order = list(range(len(pictures)))
    ahead, back = (parts_by_hand(pictures, times, o) for o in (order, order[::-1]))
    result = []
    for frame, picture in enumerate(pictures):
        largest = 0
        for number, group in enumerate(groups_of(picture)):
            parts = max(ahead.get((frame, number), []), back.get((frame, number), []), key=len)
            for (left, top, right, bottom), size, *_ in parts or [(box_of(group), int(picture[group].sum()))]:
                inside = zone[top : bottom + 1, left : right + 1].any()
                low = bottom + (bottom < 17 and picture_below(dense, frame, contrast, bottom, left, right))
                if inside if zone_test == "box" else zone[low, (left + right) // 2]:
                    largest = max(largest, size)
        result.append(largest)
    return np.array(result)


def picture_below(dense, frame, contrast, bottom, left, right):
    """Whether anything moved in a cell under an active one of a box's lowest row."""
    lowest, below = dense[frame, bottom : bottom + 2, left : right + 1, CONTRAST_LEVELS.index(contrast)]
    return bool(((lowest >= 51) & (below > 0)).any())


def recordings_by_stepping(times, sizes, needed, chosen: Settings):
    """Step 5, as a state machine that looks at one picture after another."""
    found, free, previous_end, begin, k = [], -np.inf, -np.inf, None, 0
    while k < len(times):
        if sizes[k] < needed:
            begin = None
        elif times[k] >= free - 1e-6:
            begin = times[k] if begin is None else begin
            if times[k] - begin >= chosen.detection.hold_s - 1e-6:
                last, quiet = times[k], False
                for t, size in zip(times[k + 1 :], sizes[k + 1 :], strict=True):
                    if size < needed:
                        quiet = True
                    elif quiet and t - last >= chosen.detection.release_s - 1e-6:
                        break
                    else:
                        last, quiet = t, False
                stop = last + chosen.detection.release_s
                if times[-1] - last < chosen.detection.release_s - 1e-6:
                    stop = min(stop, times[-1])
                end = stop
                if chosen.recording.length_s is not None:
                    end = times[k] + chosen.recording.length_s
                    end = min(end, max(stop, times[k])) if chosen.recording.stop_when_still else end
                found.append((times[k], max(times[k] - chosen.recording.pre_record_s, previous_end), end))
                if times[-1] - last < chosen.detection.release_s - 1e-6 and end <= stop:
                    break
                previous_end, free, begin = end, end + chosen.recording.rest_s, None
        k += 1
    return found


def random_trace(seed: int, *, irregular: bool):
    rng = np.random.default_rng(seed)
    frames = int(rng.integers(1, 50))
    dense = np.zeros((frames, 18, 32, len(CONTRAST_LEVELS)), np.uint8)
    density = rng.choice([0.02, 0.2, 0.5])
    busy = rng.random((frames, 18, 32)) < density * rng.choice([0, 1, 1], (frames, 1, 1))
    fall = np.sort(rng.integers(13, 256, (frames, 18, 32, len(CONTRAST_LEVELS))), axis=-1)[..., ::-1]
    dense[busy] = fall[busy]
    steps = rng.choice([0.1, 0.2, 0.4, 1.3], frames) if irregular else np.full(frames, 0.2)
    return sparse_trace(np.cumsum(steps) - steps[0], dense)


class MotionModelAgainstBruteForce(unittest.TestCase):
    @settings(max_examples=30, deadline=None, derandomize=True)
    @given(
        seed=st.integers(0, 10**6),
        contrast=st.sampled_from(CONTRAST_LEVELS),
        zone_test=st.sampled_from(["pixels", "box", "foot"]),
        share=st.sampled_from([0.0, 0.1, 0.5, 0.9, 1.0]),
    )
    def test_sizes_of_random_traces(self, seed, contrast, zone_test, share):
        traces = [random_trace(seed + n, irregular=False) for n in range(2)]
        blocks = np.random.default_rng(seed).random((6, 8)) < share
        zone = blocks.repeat(3, axis=0).repeat(4, axis=1)
        expected = np.concatenate([sizes_by_labelling(t.dense(), zone, contrast, zone_test, t.times_s) for t in traces])
        actual = TraceStack(traces).sizes(zone, contrast=contrast, zone_test=zone_test)
        np.testing.assert_array_equal(actual, expected)

    @settings(max_examples=120, deadline=None, derandomize=True)
    @given(
        seed=st.integers(0, 10**6),
        needed=st.integers(1, 30 * 255),
        hold=st.sampled_from([0.0, 0.2, 0.6, 1.5]),
        release=st.sampled_from([0.0, 0.4, 1.0, 2.0]),
        wait=st.sampled_from([0.0, 0.5, 3.0]),
        pre=st.sampled_from([0.0, 1.0]),
        length=st.sampled_from([None, 1.0, 3.0]),
        early=st.booleans(),
    )
    def test_recordings_of_random_traces(self, seed, needed, hold, release, wait, pre, length, early):
        trace = random_trace(seed, irregular=True)
        chosen = Settings.of(
            "polygon-mains-camera", "", hold_s=hold, release_s=release, rest_s=wait, pre_record_s=pre,
            length_s=length, stop_when_still=early, sensitivity=(12, needed / 576 / 255),
        )  # fmt: skip
        evidence = evidence_of([trace], kinds=[""], starts=[0.0], origin=Origin.CONTINUOUS)
        done = replay(evidence, tried(chosen))
        expected = recordings_by_stepping(trace.times_s.tolist(), done.motion.sizes, needed, chosen)
        actual = [(r.trigger_s, r.start_s, r.end_s) for r in done.recordings[0]]
        self.assertEqual(len(actual), len(expected))
        np.testing.assert_allclose(actual, expected, atol=1e-9) if expected else None

    def test_real_traces_of_the_demo_in_every_zone_test(self):
        with Project(DEMO) as project:
            camera = pontoon(project)
            clips = project.clips.of(camera.id, analysed=True)
            traces = [project.measurements.trace(c.id) for c in clips[3::40]]
        zone = np.zeros((18, 32), bool)
        zone[4:17, 7:23] = True
        zone[8:11, 10:30] = False
        stack = TraceStack(traces)
        for zone_test in ("pixels", "box", "foot"):
            with self.subTest(zone_test):
                actual = stack.sizes(zone, contrast=12, zone_test=zone_test)
                dense = [(t.dense(), t.times_s) for t in traces]
                expected = [sizes_by_labelling(d, zone, 12, zone_test, times) for d, times in dense]
                np.testing.assert_array_equal(actual, np.concatenate(expected))
                self.assertGreater(actual.max(), 0)

    def test_two_that_meet_are_taken_apart_and_each_has_its_own_foot(self):
        """One stands at column 8, one comes from the right, they touch, and one goes back."""
        dense = np.zeros((40, 18, 32, len(CONTRAST_LEVELS)), np.uint8)
        for frame in range(40):
            column = 10 + abs(20 - frame) // 2
            dense[frame, 4:12, 8:10] = 255
            dense[frame, 6:15, column : column + 2] = 255
        trace = sparse_trace(np.arange(40) / 5, dense)
        stack = TraceStack([trace])
        left = np.zeros((18, 32), bool)
        left[:, :10] = True
        right = ~left
        for zone in (left, right):
            self.assertGreater(stack.sizes(zone, contrast=12, zone_test="foot").min(), 8 * 255)
        for test in ("box", "foot"):
            expected = sizes_by_labelling(dense, right, 12, test, trace.times_s)
            np.testing.assert_array_equal(stack.sizes(right, contrast=12, zone_test=test), expected)
