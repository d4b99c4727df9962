import dataclasses
import json

import numpy as np

from guardia.app.scripted.offline import analyse_files
from guardia.benchcam.camera import Decider, View, lit
from guardia.benchcam.record import TRUTH_FACTOR, read_truth, record
from guardia.benchcam.scene import Light
from guardia.benchcam.tern_quay import PLACES, build_scene, right_kind
from guardia.core.evidence.clips import Cause
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.settings import Settings
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneKind
from tests.support import FolderCase, capability

STORE = next(p for p in PLACES if p.slug == "winter-store")


class BenchCamera(FolderCase):
    @classmethod
    def setUpClass(cls):
        cls.scene = build_scene(STORE)
        cls.event = next(e for e in cls.scene.events if e.kind == "person" and cls.scene.light(e.begin_s) is Light.DAY)

    def triggers(self, settings: Settings, *, walker: bool = True) -> list[float]:
        actors = self.event.actors if walker else ()
        view = View(lit(self.scene.still, Light.DAY), actors, Light.DAY, 1)
        decider = Decider(settings, capability(settings.capability), truth_factor=TRUTH_FACTOR)
        moments = [self.event.begin_s - 1 + n / 5 for n in range(60)]
        return [at - self.event.begin_s for at in moments if decider.triggered(view.picture(at), at)]

    def test_the_same_seed_gives_the_same_weeks_and_the_same_pictures(self):
        again = build_scene(STORE)
        self.assertEqual([e.begin_s for e in again.events], [e.begin_s for e in self.scene.events])
        at = self.event.begin_s + 2
        np.testing.assert_array_equal(again.view(at, 3).picture(at), self.scene.view(at, 3).picture(at))
        self.assertTrue((self.scene.view(at, 4).picture(at) != self.scene.view(at, 3).picture(at)).any())

    def test_what_it_decides_by_is_drawn_alone_as_in_the_whole_picture(self):
        for place in PLACES:
            scene, kinds = build_scene(place), set()
            for event in scene.events:
                kind = event.kind, scene.light(event.begin_s)
                if kind in kinds:
                    continue
                kinds.add(kind)
                for mirrored in (False, True):
                    seen = dataclasses.replace(scene, mirrored=mirrored)
                    at = (event.begin_s + event.end_s) / 2
                    whole, coarse = seen.view(at, 3).picture(at), seen.view(at, 3).coarse(at)
                    np.testing.assert_array_equal(coarse, whole[::4, ::4], str((place.slug, kind, mirrored)))

    def test_the_camera_triggers_on_a_person_and_not_on_noise(self):
        settings = Settings.of("polygon-mains-camera", "8")
        self.assertTrue(self.triggers(settings))
        self.assertEqual(self.triggers(settings, walker=False), [])

    def test_the_camera_obeys_its_settings(self):
        nowhere = PolygonZone(ZoneKind.IGNORE, ((0, 0), (1, 0), (1, 1), (0, 1)))
        corner = BlockZone(16, 9, tuple(n == 0 for n in range(16 * 9)))
        for settings in (
            Settings.of("polygon-mains-camera", "8", detection_on=False),
            Settings.of("polygon-mains-camera", "8", (nowhere,)),
            Settings.of("polygon-mains-camera", "8", (corner,)),
        ):
            self.assertEqual(self.triggers(settings), [])
        eager = self.triggers(Settings.of("polygon-mains-camera", "8"))
        patient = self.triggers(Settings.of("polygon-mains-camera", "8", hold_s=1.0))
        self.assertGreaterEqual(patient[0], eager[0] + 0.9)

    def test_files_are_recorded_only_of_what_hours_and_filter_let_through(self):
        begin = self.event.begin_s
        place = dataclasses.replace(STORE, names=("person", "vehicle"))
        short = dataclasses.replace(self.scene, place=place, continuous_s=(), walk_test_s=-1e6)
        make, usual = capability(STORE.installed.capability), STORE.installed
        hour = self.scene.local_time(begin).hour
        closed = WeekPlan((Stretch(EVERY_DAY, Edge(60 * (hour + 1)), Edge(1440)),))
        for values, count in (
            ({}, 1), ({"objects": ("vehicle",)}, 0), ({"objects": ("person",)}, 1), ({"recording_plan": closed}, 0),
        ):  # fmt: skip
            folder = self.folder / str(sorted(values.items()))[:40].replace("/", "")
            settings = usual.with_values(**values)
            record(short, folder, make, settings=settings, only=lambda at: abs(at - begin + 4.0) < 0.01)
            self.assertEqual(len(list((folder / "motion").glob("*.mp4"))), count, values)

    def test_a_recorded_clip_shows_what_the_truth_says(self):
        begin = self.event.begin_s
        short = dataclasses.replace(self.scene, continuous_s=(), walk_test_s=-1e6)
        make = capability(STORE.installed.capability)
        record(short, self.folder, make, only=lambda at: abs(at - begin + 4.0) < 0.01)
        (line,) = (self.folder / "truth.jsonl").read_text("utf-8").splitlines()
        entry = json.loads(line)
        clip = self.folder / entry["clip"]
        told = analyse_files([clip], time_zone="Europe/London")["clips"][0]
        self.assertEqual(told["start_source"], "file name")
        truth = read_truth(self.folder / "truth.jsonl")[clip.name]
        longest = max(told["motion"], key=lambda m: m["end_s"] - m["start_s"])
        self.assertEqual(right_kind(truth, longest["start_s"], longest["end_s"]), "person")
        self.assertEqual(right_kind(truth, 1e5, 1e5 + 1), "other_false")

    def test_clips_that_begin_in_the_same_second_bear_two_names(self):
        at = self.event.begin_s
        calls = ((at, Cause.SOUND), (at + 0.3, Cause.BUTTON))
        scene = dataclasses.replace(self.scene, events=(), continuous_s=(), walk_test_s=-1e6, calls=calls, snapshots=())
        settings = STORE.installed.with_values(length_s=5.0)
        record(scene, self.folder, capability(settings.capability), settings=settings)
        names = sorted(path.name for path in (self.folder / "motion").iterdir())
        self.assertEqual(len(names), 2)
        self.assertLess(set(names), set(read_truth(self.folder / "truth.jsonl")))
        told = analyse_files([self.folder / "motion" / name for name in names], time_zone="Europe/London")["clips"]
        self.assertEqual({t["start_source"] for t in told}, {"file name"})
        self.assertEqual({t["start"][:19] for t in told}, {told[0]["start"][:19]})
