"""How strong motion was: its lasting size over the size needed, which is the largest factor at which it triggers."""

from __future__ import annotations

import math

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence
from guardia.core.trace.stack import TraceStack


def lasting_sizes(stack: TraceStack, sizes: NDArray[np.int32], hold_s: float) -> NDArray[np.int32]:
    """The size that is kept up from each picture on for the minimum duration.

    Args:
        stack: The traces.
        sizes: (F,) size in every picture.
        hold_s: The minimum duration; as many pictures as it usually takes.

    Returns:
        (F,), 0 where the clip ends too soon.
    """

    frames = 1 + math.ceil(hold_s / stack.step_s - 1e-6)
    if frames <= 1 or not len(sizes):
        return sizes
    lasting: NDArray[np.int32] = scipy.ndimage.minimum_filter1d(sizes, frames, origin=-(frames // 2), mode="constant")
    ends = np.append(stack.clip_start[1:], stack.frames)
    lasting[np.maximum(ends[:, None] - 1 - np.arange(frames - 1), 0).ravel()] = 0
    return lasting


def strengths(evidence: Evidence, sizes: NDArray[np.int32], needed: int, *, hold_s: float) -> NDArray[np.float64]:
    """The largest lasting size of each occurrence over the size needed.

    Args:
        evidence: Clips and occurrences.
        sizes: (F,) size in every picture, as Motion.sizes.
        needed: Size needed to trigger, in the same unit.
        hold_s: The minimum duration; on a snapshot, which shows no duration, one picture is enough.

    Returns:
        (N,), below 1 where it does not trigger by itself.
    """
    windows = evidence.windows
    lasting = np.append(lasting_sizes(evidence.stack, sizes, hold_s), 0)
    largest = np.maximum.reduceat(lasting, windows.ravel())[::2] if len(windows) else np.zeros(0, np.int32)
    if evidence.snapshots and len(windows):
        single = np.maximum.reduceat(np.append(sizes, 0), windows.ravel())[::2]
        largest = np.where(evidence.on_snapshots, single, largest)
    return np.where(windows[:, 1] > windows[:, 0], largest, 0) / needed
