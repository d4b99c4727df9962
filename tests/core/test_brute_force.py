"""The motion model against a second implementation written from docs/motion-model.md, picture by picture."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from guardia.core.evidence import Origin
from guardia.core.gates import replay
from guardia.core.settings import Settings
from guardia.core.stack import FILL_LIMIT, TraceStack
from guardia.core.trace import CONTRAST_LEVELS, sparse_trace
from guardia.store.project import Project
from tests.support import DEMO, capability, evidence_of, pontoon

AROUND = np.ones((3, 3), int)


def sizes_by_labelling(dense, zone, contrast, zone_test):
    """Step 3 and 4: label every picture with scipy.ndimage and take the largest group that counts."""
    result = []
    for picture in dense[..., CONTRAST_LEVELS.index(contrast)]:
        active = picture >= 255 * FILL_LIMIT
        if zone_test == "pixels":
            active = active & zone
        labels, _ = ndimage.label(active, AROUND)
        largest = 0
        for number, (rows, columns) in enumerate(ndimage.find_objects(labels), start=1):
            group = labels[rows, columns] == number
            if zone_test == "box" and not zone[rows, columns].any():
                continue
            if zone_test == "foot" and not zone[rows.stop - 1, (columns.start + columns.stop - 1) // 2]:
                continue
            largest = max(largest, int(group.sum()))
        result.append(largest)
    return np.array(result)


def recordings_by_stepping(times, sizes, needed, chosen: Settings):
    """Step 5, as a state machine that looks at one picture after another."""
    found, free, previous_end, begin, k = [], -np.inf, -np.inf, None, 0
    while k < len(times):
        if sizes[k] < needed:
            begin = None
        elif times[k] >= free - 1e-6:
            begin = times[k] if begin is None else begin
            if times[k] - begin >= chosen.hold_s - 1e-6:
                last, quiet = times[k], False
                for t, size in zip(times[k + 1 :], sizes[k + 1 :], strict=True):
                    if size < needed:
                        quiet = True
                    elif quiet and t - last >= chosen.release_s - 1e-6:
                        break
                    else:
                        last, quiet = t, False
                stop = last + chosen.release_s
                if times[-1] - last < chosen.release_s - 1e-6:
                    stop = min(stop, times[-1])
                end = stop
                if chosen.clip_length_s is not None:
                    end = times[k] + chosen.clip_length_s
                    end = min(end, max(stop, times[k])) if chosen.end_early else end
                found.append((times[k], max(times[k] - chosen.pre_record_s, previous_end), end))
                if times[-1] - last < chosen.release_s - 1e-6 and end <= stop:
                    break
                previous_end, free, begin = end, end + chosen.retrigger_wait_s, None
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
    @settings(max_examples=60, deadline=None, derandomize=True)
    @given(
        seed=st.integers(0, 10**6),
        contrast=st.sampled_from(CONTRAST_LEVELS),
        zone_test=st.sampled_from(["pixels", "box", "foot"]),
        share=st.sampled_from([0.0, 0.1, 0.5, 0.9, 1.0]),
    )
    def test_sizes_of_random_traces(self, seed, contrast, zone_test, share):
        traces = [random_trace(seed + n, irregular=False) for n in range(3)]
        blocks = np.random.default_rng(seed).random((6, 8)) < share
        zone = blocks.repeat(3, axis=0).repeat(4, axis=1)
        expected = np.concatenate([sizes_by_labelling(t.dense(), zone, contrast, zone_test) for t in traces])
        actual = TraceStack(traces).sizes(zone, contrast=contrast, zone_test=zone_test)
        np.testing.assert_array_equal(actual, expected)

    @settings(max_examples=120, deadline=None, derandomize=True)
    @given(
        seed=st.integers(0, 10**6),
        needed=st.integers(1, 30),
        hold=st.sampled_from([0.0, 0.2, 0.6, 1.5]),
        release=st.sampled_from([0.0, 0.4, 1.0, 2.0]),
        wait=st.sampled_from([0.0, 0.5, 3.0]),
        pre=st.sampled_from([0.0, 1.0]),
        length=st.sampled_from([None, 1.0, 3.0]),
        early=st.booleans(),
    )
    def test_recordings_of_random_traces(self, seed, needed, hold, release, wait, pre, length, early):
        trace = random_trace(seed, irregular=True)
        chosen = Settings(
            "polygon-mains-camera", "", hold_s=hold, release_s=release, retrigger_wait_s=wait, pre_record_s=pre,
            clip_length_s=length, end_early=early, sensitivity=(12, needed / 576),
        )  # fmt: skip
        evidence = evidence_of([trace], kinds=[""], starts=[0.0], origin=Origin.CONTINUOUS)
        done = replay(evidence, chosen, capability())
        expected = recordings_by_stepping(trace.times_s.tolist(), done.sizes, needed, chosen)
        actual = [(r.trigger_s, r.start_s, r.end_s) for r in done.recordings[0]]
        self.assertEqual(len(actual), len(expected))
        np.testing.assert_allclose(actual, expected, atol=1e-9) if expected else None

    def test_real_traces_of_the_demo_in_every_zone_test(self):
        with Project(DEMO) as project:
            stack = project.evidence(pontoon(project).id).stack
        zone = np.zeros((18, 32), bool)
        zone[4:17, 7:23] = True
        zone[8:11, 10:30] = False
        for zone_test in ("pixels", "box", "foot"):
            with self.subTest(zone_test):
                actual = stack.sizes(zone, contrast=12, zone_test=zone_test)
                chosen = np.arange(0, stack.frames, 23)
                dense = np.zeros((len(chosen), 18, 32, len(CONTRAST_LEVELS)), np.uint8)
                for place, frame in enumerate(chosen):
                    entries = stack._frame == frame
                    dense[place].reshape(576, -1)[stack._cell[entries]] = stack._changed[entries]
                np.testing.assert_array_equal(actual[chosen], sizes_by_labelling(dense, zone, 12, zone_test))
                self.assertGreater(actual.max(), 20)
