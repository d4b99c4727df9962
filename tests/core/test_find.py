"""Occurrences found over arrays are those that a look at each one finds."""

import itertools
import unittest
from datetime import date, datetime
from zoneinfo import ZoneInfo

from guardia.core.evidence.clips import Origin
from guardia.core.replay.replay import replay
from guardia.core.score.find import Filter, matching
from guardia.store.project import Project
from tests.support import DEMO, pontoon

LONDON = ZoneInfo("Europe/London")


class Finding(unittest.TestCase):
    def setUp(self):
        with Project(DEMO) as project:
            camera = pontoon(project)
            self.evidence = project.evidence(camera.id)
        self.draft = replay(self.evidence, camera.under(camera.installed.with_values(hold_s=1.0)))

    def by_one(self, wanted: Filter) -> list[bool]:
        found = []
        for o in self.evidence.occurrences:
            clip, verdict, recorded = self.evidence.clip_of(o), o.verdict, self.draft.records(o.id)
            marked = self.draft.marks(o.id)
            at = datetime.fromtimestamp(clip.start_s + o.start_s, LONDON)
            event = self.evidence.event_of.get(o.id)
            first, last = wanted.hours or (0, 24)
            judged = {
                "all": True, "unjudged": not o.kind, "missed": verdict == "real" and not recorded,
                "false recorded": verdict == "false" and marked,
            }  # fmt: skip
            found.append(
                judged.get(wanted.judged, verdict == wanted.judged)
                and (wanted.ids is None or o.id in wanted.ids)
                and wanted.origin in (None, clip.origin)
                and wanted.kind in (None, o.kind)
                and wanted.dark in (None, clip.dark)
                and wanted.day in (None, at.date())
                and (first <= at.hour < last or (first > last and (at.hour >= first or at.hour < last)))
                and wanted.named in (None, event.named if event else "")
                and (wanted.gate is None or wanted.gate in self.draft.outcomes[o.id].stopped_at)
            )
        return found

    def test_every_filter_finds_what_a_look_at_each_finds(self):
        some = frozenset(o.id for o in self.evidence.occurrences[::3])
        gates = {g for o in self.evidence.occurrences for g in self.draft.outcomes[o.id].stopped_at}
        self.assertTrue(gates)
        values = {
            "judged": ("all", "unjudged", "real", "false", "unsure", "missed", "false recorded"),
            "ids": (None, some), "origin": (None, Origin.WALK_TEST, Origin.MOTION), "kind": (None, "person", ""),
            "dark": (None, True, False), "day": (None, date(2026, 9, 9)), "hours": (None, (22, 6), (8, 12)),
            "named": (None, "", "person"), "gate": (None, *gates),
        }  # fmt: skip
        pairs = itertools.combinations(values, 2)
        tried = 0
        for one, other in pairs:
            for a, b in itertools.product(values[one], values[other]):
                wanted = Filter(**{one: a, other: b})
                self.assertEqual(matching(self.evidence, wanted, self.draft).tolist(), self.by_one(wanted), wanted)
                tried += 1
        self.assertGreater(tried, 200)


if __name__ == "__main__":
    unittest.main()
