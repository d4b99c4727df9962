"""What can be done with the occurrences of one camera: judged, joined to visits, split, taken up."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace

from guardia.app.camera.shown_camera import ShownCamera
from guardia.app.work.jobs import Report, Token
from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.clips import NewOccurrence
from guardia.core.evidence.proposed import SHORTEST_S
from guardia.core.purpose.judgement import kind_of
from guardia.core.score.coverage import Uncovered, uncovered
from guardia.media.analysis import key_pictures
from guardia.store.occurrences import Said, person
from guardia.store.project import Project

TAKE_BACK = ""
"""The kind that stands for 'not judged'."""


class CameraOccurrences:
    """The occurrences of a camera; every change can be undone."""

    def __init__(self, model: ShownCamera, project: Project) -> None:
        self._model, self._project, self._store = model, project, project.occurrences

    def judge(self, ids: Iterable[int], kind: str) -> None:
        """Judge occurrences as of a kind; TAKE_BACK takes the judgement back."""
        old = {i: self._model.occurrence(i).kind for i in ids}
        old = {i: before for i, before in old.items() if before != kind}
        if old:
            words = kind_of(kind).text if kind else "not judged"
            before, now, who = self._store.said(old), time.time(), person()
            new = {i: said.then(kind, now, who) for i, said in before.items()}
            back = {i: said.before(new[i]) for i, said in before.items()}
            self._model.change(f"judge {len(old)} as {words}", self._store.put_said, self._show_kinds, back, new)

    def _show_kinds(self, said: Mapping[int, Said]) -> None:
        evidence = self._model.evidence
        judged = [replace(o, kind=said[o.id].kind if o.id in said else o.kind) for o in evidence.occurrences]
        self._model.take(self._model.judgements_changed, evidence=evidence.with_occurrences(judged))

    def set_visits(self, visits: Mapping[int, int | None]) -> None:
        """Join occurrences to visits, or take them out with None."""
        old = {i: self._model.occurrence(i).visit for i in visits}
        new = {i: visit for i, visit in visits.items() if old[i] != visit}
        if new:
            words = "join to a visit" if any(v is not None for v in new.values()) else "take apart"
            self._model.change(
                words, self._store.set_visits, lambda _: self._model.reload(), {i: old[i] for i in new}, new
            )

    def quietest_s(self, occurrence_id: int) -> float:
        """The moment with least motion well inside an occurrence, on the clip's clock: where it splits best."""
        o = self._model.state.by_id[occurrence_id]
        index = self._model.evidence.clip_index[o.clip_id]
        base, times = int(self._model.evidence.stack.clip_start[index]), self._model.evidence.stack.times[index]
        contrast = self._model.comparison.installed_replay.motion.contrast_in(self._model.evidence.clips[index])
        sizes = self._model.evidence.stack.sizes_anywhere(contrast=contrast)
        margin = 0.2 * (o.end_s - o.start_s)
        inside = [n for n, t in enumerate(times) if o.start_s + margin <= t <= o.end_s - margin]
        return times[min(inside, key=lambda n: int(sizes[base + n]))] if inside else (o.start_s + o.end_s) / 2

    def split_job(self, occurrence_id: int, at_s: float) -> Callable[[Token, Report], tuple[int, list[NewOccurrence]]]:
        """Work that makes the key pictures of both parts; to be run off the interface thread.

        Args:
            occurrence_id: The occurrence.
            at_s: Where to split, on the clip's clock, inside it.

        Returns:
            Gives the occurrence's id and its two parts.

        Raises:
            InvalidValue: If the moment does not lie inside.
        """
        o = self._model.state.by_id[occurrence_id]
        if not o.start_s + SHORTEST_S <= at_s <= o.end_s - SHORTEST_S:
            raise InvalidValue(
                "This occurrence cannot be split there: each part must last at least "
                f"{SHORTEST_S} s, and it runs from {o.start_s:.1f} to {o.end_s:.1f} s.",
                kept="It was left whole.",
            )
        path = self._project.clips.path(o.clip_id)
        times = self._model.evidence.stack.times[self._model.evidence.clip_index[o.clip_id]]

        def make(token: Token, _report: Report) -> tuple[int, list[NewOccurrence]]:
            parts = []
            for begin, end in ((o.start_s, at_s), (at_s, o.end_s)):
                token.check()
                inside = [t for t in times if begin <= t <= end] or [begin]
                keys = [inside[round(n * (len(inside) - 1) / 4)] for n in range(5)]
                parts.append(NewOccurrence(begin, end, keys, key_pictures(path, keys)))
            return occurrence_id, parts

        return make

    def uncovered(self) -> list[Uncovered]:
        """Motion that nothing which the camera recorded or listed covers, by the make's most sensitive notch."""
        finest = min(self._model.camera.capability.notches, key=lambda n: (n.size, n.contrast))
        return uncovered(self._model.evidence, contrast=finest.contrast, size=finest.size)

    def take_up_job(self) -> Callable[[Token, Report], list[tuple[int, NewOccurrence]]]:
        """Work that makes key pictures of what no occurrence stands for yet; gives (clip, occurrence) pairs."""
        stretches = [u for u in self.uncovered() if u.occurrence_id is None]
        paths = {u.clip_id: self._project.clips.path(u.clip_id) for u in stretches}

        def make(token: Token, _report: Report) -> list[tuple[int, NewOccurrence]]:
            new = []
            for u in stretches:
                token.check()
                steps = 4 if u.end_s > u.start_s else 0
                keys = [u.start_s + n * (u.end_s - u.start_s) / max(1, steps) for n in range(steps + 1)]
                new.append((u.clip_id, NewOccurrence(u.start_s, u.end_s, keys, key_pictures(paths[u.clip_id], keys))))
            return new

        return make

    def put_split(self, occurrence_id: int, parts: Sequence[NewOccurrence]) -> None:
        """Put an occurrence's parts in its place."""
        o = self._model.occurrence(occurrence_id)
        self._add("split", [(o.clip_id, part, o.kind) for part in parts], [occurrence_id])

    def add_found(self, found: Sequence[tuple[int, NewOccurrence]]) -> None:
        """Put occurrences found in a search among the others."""
        self._add("add what was found", [(clip_id, one, "") for clip_id, one in found], [])

    def _add(self, what: str, new: Sequence[tuple[int, NewOccurrence, str]], gone: list[int]) -> None:
        """Put new occurrences in the place of others; what is taken back is hidden, not deleted."""
        ids: list[int] = []

        def write() -> None:
            with self._project.together():
                ids.extend(self._store.add(*one) for one in new)

        if self._model.kept(write):
            self._model.change(
                what, lambda shown: self._store.show(*shown), lambda _: self._model.reload(), (gone, ids), (ids, gone)
            )
