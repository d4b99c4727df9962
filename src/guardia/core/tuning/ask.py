"""Which occurrences to judge next: those whose judgement could change the choice most."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.replay.anchored import Anchor


def telling(evidence: Evidence, rivals: Sequence[Candidate]) -> tuple[int, ...]:
    """Occurrences that are not judged and on which the best settings disagree, those they disagree on most first.

    What all of them record, or none, changes no choice between them, however it is judged.

    Args:
        evidence: Clips and occurrences.
        rivals: The settings between which the choice lies.

    Returns:
        Ids; none when what is not judged would change nothing.
    """
    waiting = [n for n, o in enumerate(evidence.occurrences) if not o.kind and o.id not in evidence.repeated]
    if not waiting or len(rivals) < 2:
        return ()
    anchor = Anchor(evidence, rivals[0].capability)
    recorded = np.array([anchor.replay(candidate).marked[waiting] for candidate in rivals])
    share = recorded.mean(axis=0)
    split = share * (1.0 - share)
    order = np.lexsort((np.arange(len(waiting)), -split))
    return tuple(evidence.occurrences[waiting[n]].id for n in order if split[n] > 0)
