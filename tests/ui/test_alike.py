"""Judging by likeness, through the window: three hundred clips of the demo with few keys."""

from collections import Counter

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QSignalSpy

from guardia.benchcam.record import read_truth
from guardia.benchcam.tern_quay import PLACES, right_kind
from guardia.core.purpose.judgement import kind_of
from tests.support import TRUTH
from tests.ui.support import GuiCase

CLIPS = 300
KEYS = 60
RIGHT = 0.96


class Alike(GuiCase):
    def open_unjudged(self):
        """The demo with every judgement taken back, at the groups; `self.truth` gives the right kind by id."""
        self.window.open_demo()
        self.session = self.window.session
        self.truth = {}
        for camera in self.session.camera_ids():
            model = self.session.camera(camera)
            place = next(p for p in PLACES if p.name == model.camera.name)
            told = read_truth(TRUTH / f"{place.slug}.jsonl")
            model.occurrences.judge([o.id for o in model.evidence.occurrences], "")
            for o in model.evidence.occurrences:
                self.truth[o.id] = right_kind(told[model.evidence.clip_of(o).name], o.start_s, o.end_s)
        self.window.go("alike")
        self.page = self.window.pages["alike"]
        self.model = self.page.model
        changed = QSignalSpy(self.model.changed)
        if not self.model.groups:
            self.press(self.page.sheet, "p")  # a letter before anything is compared judges nothing
            self.assertEqual(
                {o.kind for m in self.session.cameras.opened.values() for o in m.evidence.occurrences}, {""}
            )
            self.wait(changed)

    def key(self, widget, kind):
        self.keys += 1
        self.press(widget, kind_of(kind).key.lower())

    def test_three_hundred_clips_are_judged_with_fewer_than_sixty_keys(self):
        self.open_unjudged()
        self.keys = 0
        # Each group by its most usual kind, as a look at its sheet shows it; the next group comes by itself.
        while any(self.model.waiting(n) for n in range(len(self.model.groups))):
            ids = self.model.groups[self.model.current].ids
            self.key(self.page.sheet, Counter(self.truth[i] for i in ids).most_common(1)[0][0])
        # Then what its likes contradict, while keys are left: Enter keeps, a letter judges anew.
        self.page.look_again()
        while self.keys < KEYS - 1 and self.page.doubtful:
            (chosen,) = self.page.chosen_ids()
            if self.model.occurrence(chosen).kind == self.truth[chosen]:
                self.keys += 1
                self.press(self.page.sheet, Qt.Key.Key_Return)
            else:
                self.key(self.page.sheet, self.truth[chosen])
        ids = [i for group in self.model.groups for i in group.ids]
        judged = [(self.model.occurrence(i).kind, self.truth[i]) for i in ids]
        right = sum(kind == truth for kind, truth in judged)
        told = f"{right} of {len(judged)} right with {self.keys} keys, {len(self.model.groups)} groups"
        self.assertGreaterEqual(sum(bool(kind) for kind, _ in judged), CLIPS, told)
        self.assertLess(self.keys, KEYS, told)
        self.assertGreaterEqual(right, RIGHT * len(judged), told)
        print(told)
