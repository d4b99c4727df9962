"""Visits: one thing that really happened and that several clips or cameras show."""

from __future__ import annotations

from collections.abc import Mapping

from guardia.core.evidence.clips import Occurrence
from guardia.core.evidence.evidence import Evidence
from guardia.core.purpose.judgement import Verdict

GAP_S = 30.0
"""Parts on one camera that follow each other within this time, and its rest after a recording, are one visit."""

WAY_S = 90.0
"""Time that somebody may need from one camera's view into another's."""


def propose_visits(evidence: Mapping[int, Evidence], wait_s: Mapping[int, float]) -> list[tuple[int, ...]]:
    """Find visits that are counted as several occurrences.

    Only occurrences judged real are joined, and only of one kind: each false one is a recording too many. Within a
    camera the next part must begin within GAP_S and the camera's rest after a recording, on another camera within
    WAY_S.

    Args:
        evidence: By number of the camera.
        wait_s: Rest after a recording of the installed settings by number of the camera, seconds.

    Returns:
        Ids of the parts in order of time, two at least; visits that are joined so already are left out.
    """
    parts: list[tuple[float, float, int, Occurrence]] = []
    for camera, one in evidence.items():
        for o in one.occurrences:
            if o.verdict is Verdict.REAL and o.id not in one.repeated:
                parts.append((*one.span_s(o), camera, o))
    parts.sort(key=lambda p: (p[0], p[3].id))
    chains: list[list[tuple[float, float, int, Occurrence]]] = []
    for part in parts:
        begin, _, camera, occurrence = part
        for chain in reversed(chains):
            _, end, before, last = chain[-1]
            gap = GAP_S + wait_s.get(camera, 0.0) if camera == before else WAY_S
            if occurrence.kind == last.kind and begin - end <= gap and (camera != before or begin >= end):
                chain.append(part)
                break
            if begin - chain[0][0] > 3600:
                chains.append([part])
                break
        else:
            chains.append([part])
    proposed = []
    for chain in chains:
        visits = {o.visit for *_, o in chain}
        if len(chain) > 1 and (len(visits) > 1 or None in visits):
            proposed.append(tuple(o.id for *_, o in chain))
    return proposed
