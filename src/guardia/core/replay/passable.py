"""What every gate but those of motion lets through: hours, modes, switches, the object filter."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.replay import gates
from guardia.core.replay.gate import TriggerGate


def passable(evidence: Evidence, candidate: Candidate) -> NDArray[np.bool_]:
    """Whether each occurrence could trigger if only it were large and long enough, and the camera free.

    Args:
        evidence: Clips and occurrences.
        candidate: Settings and make.

    Returns:
        (N,), in the order of the occurrences.
    """
    whole = runs = [[(0, len(times) - 1)] if times else [] for times in evidence.stack.times]
    for gate in gates.GATES:
        if isinstance(gate, TriggerGate):
            runs = gate.leaves(evidence, candidate, runs)
    low, high = evidence.windows.T if len(evidence.windows) else np.zeros((2, 0), np.int64)
    if runs is whole:
        everything: NDArray[np.bool_] = high > low
        return everything
    open_at = np.zeros(evidence.stack.frames + 1, np.int64)
    for base, own in zip(evidence.stack.clip_start[:-1].tolist(), runs, strict=True):
        for first, last in own:
            open_at[base + first] += 1
            open_at[base + last + 1] -= 1
    so_far = np.concatenate([[0], np.cumsum(np.cumsum(open_at) > 0)])
    some: NDArray[np.bool_] = so_far[high] > so_far[low]
    return some
