"""The shipped demo: its size, its mistakes to find, and its truth kept apart."""

import re
import shutil
import unittest
import zipfile
from hashlib import sha256
from importlib.resources import files
from pathlib import Path
from unittest.mock import patch

from guardia.app.camera.makes import shipped_capabilities
from guardia.app.project.demo import SUMS, own_demo, unpack_demo
from guardia.benchcam.record import read_truth
from guardia.benchcam.tern_quay import PLACES, right_kind
from guardia.core.base.errors import ProjectError
from guardia.core.evidence.clips import Cause, Origin
from guardia.core.make.candidate import Candidate
from guardia.core.replay import gates
from guardia.core.score.candidates import Scorer
from guardia.store.project import Project
from guardia.tools.pack_demo import pack_demo
from guardia.tools.screenshots import EXAMPLE_ZONE
from tests.support import DEMO, TRUTH, FolderCase, capability

MEGABYTE = 1e6


class Demo(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        with Project(DEMO) as project:
            cls.cameras = {c.name: (c, project.evidence(c.id)) for c in project.cameras.all()}

    def test_six_cameras_of_different_makes_with_every_kind_of_evidence(self):
        self.assertEqual(set(self.cameras), {p.name for p in PLACES})
        makes = {c.capability for c, _ in self.cameras.values()}
        self.assertGreaterEqual(len(makes), 5)
        self.assertLessEqual(makes, set(map(capability, shipped_capabilities())), "as they ship with this version")
        for name, (_, evidence) in self.cameras.items():
            origins = {c.origin for c in evidence.clips}
            snapshots = {Origin.SNAPSHOT} if name == "Winter store" else set()
            self.assertEqual(origins, {Origin.MOTION, Origin.CONTINUOUS, Origin.WALK_TEST} | snapshots, name)
            self.assertGreater(len(evidence.events), 20, name)
        _, pontoon = self.cameras["Pontoon gate"]
        self.assertGreaterEqual(sum(c.origin is Origin.MOTION for c in pontoon.clips), 60)
        self.assertEqual(sum(c.origin is Origin.CONTINUOUS for c in pontoon.clips), 2)
        self.assertEqual((round(pontoon.watch.days, 1), round(pontoon.watch.counted_days, 1)), (14.0, 10.0))
        _, store = self.cameras["Winter store"]
        self.assertAlmostEqual(store.watch.days, 14 - 30 / 24)
        causes = {c.cause for _, e in self.cameras.values() for c in e.other_causes}
        self.assertEqual(causes, {Cause.BUTTON, Cause.LIVE_LOOK, Cause.SOUND, Cause.BY_HAND})

    def test_it_stays_small_enough_to_ship_and_holds_no_truth(self):
        packs = list((Path(str(files("guardia"))) / "data" / "demo").iterdir())
        self.assertLess(sum(p.stat().st_size for p in packs), 25 * MEGABYTE)
        self.assertLessEqual({p.stem.rpartition("-")[0] for p in packs} - {""}, {p.slug for p in PLACES})
        self.assertEqual([f for f in DEMO.rglob("*") if "truth" in f.name], [])
        program = Path(str(files("guardia")))
        readers = {f.name for f in program.rglob("*.py") if "truth.jsonl" in f.read_text("utf-8")}
        self.assertLessEqual(readers, {"demo_builder.py", "record.py", "upkeep.py", "practice.py", "bench_week.py"})

    def test_the_technicians_judgements_are_the_truth(self):
        for place in PLACES:
            truth = read_truth(TRUTH / f"{place.slug}.jsonl")
            _, evidence = self.cameras[place.name]
            judged = [o for o in evidence.occurrences if o.kind]
            self.assertGreater(len(judged), 15, place.slug)
            for o in judged:
                clip = evidence.clips[evidence.clip_index[o.clip_id]]
                self.assertEqual(o.kind, right_kind(truth[clip.name], o.start_s, o.end_s), clip.name)

    def test_a_watch_zone_and_a_hold_cut_the_pontoons_false_recordings_by_far_and_lose_nobody_more(self):
        camera, evidence = self.cameras["Pontoon gate"]
        draft = camera.installed.with_values(zones=(EXAMPLE_ZONE,), hold_s=0.6, rest_s=5.0)
        result = Scorer().compare(evidence, camera.under(camera.installed), Candidate(draft, camera.capability))
        self.assertLessEqual(len(result.draft.false_recorded), 0.35 * len(result.installed.false_recorded))
        self.assertLessEqual(len(result.draft.real_missed), len(result.installed.real_missed))

    def test_each_mistake_shows_at_its_gate_on_footage_that_can_show_it(self):
        for name, gate in (
            ("Pontoon gate", gates.REST),
            ("Slipway", gates.REST),  # that too little is inside its tight zone shows on clips, which it recorded
            ("Workshop door", gates.HOLD),
            ("Fuel berth", gates.SIZE),
            ("Winter store", gates.REST),
        ):
            camera, evidence = self.cameras[name]
            result = Scorer().compare(evidence, camera.under(camera.installed), camera.under(camera.installed))
            outcomes = result.installed_replay.outcomes
            closed = {outcomes[i].gate for i in (*result.installed.real_missed, *result.installed.unmarked)}
            self.assertIn(gate, closed, name)


class OwnCopy(FolderCase):
    def test_packing_what_was_unpacked_gives_the_same_bytes(self):
        unpack_demo(self.folder / "demo")
        once = pack_demo(self.folder / "demo", self.folder / "once")
        for name in once:
            with zipfile.ZipFile(self.folder / "once" / name) as packed:
                packed.extractall(self.folder / "unpacked")
        self.assertEqual(pack_demo(self.folder / "unpacked", self.folder / "again"), once)
        for name in (SUMS, *once):
            with self.subTest(name):
                same = (self.folder / "again" / name).read_bytes() == (self.folder / "once" / name).read_bytes()
                self.assertTrue(same)

    def test_a_damaged_missing_or_hostile_pack_is_refused_and_nothing_of_it_is_kept(self):
        packs, home = self.folder / "packs", self.folder / "home"
        shutil.copytree(files("guardia") / "data" / "demo", packs)
        project, sound = packs / "project.zip", (packs / "project.zip").read_bytes()
        for name in ("../outside.txt", "media/../../outside.txt", "media/.hidden", "media\\up.jpg", "other/x.jpg"):
            project.write_bytes(sound)
            with zipfile.ZipFile(project, "a") as pack:
                pack.writestr(name, "x")
            sums = (packs / SUMS).read_text("ascii")
            right = sha256(project.read_bytes()).hexdigest()
            (packs / SUMS).write_text(re.sub(r"\w+(?=  project.zip)", right, sums), "ascii")
            self.refused(name, home, "its file project.zip holds what it should not")
        project.write_bytes(sound[:-200])
        self.refused("cut off", home, "its file project.zip is not the one that was shipped")
        project.write_text("version 1\noid sha256:0\nsize 2676081\n", "ascii")  # as a store of large files leaves it
        self.refused("a pointer", home, "its file project.zip is not the one")
        project.unlink()
        self.refused("missing", home, "its file project.zip is missing")

    def refused(self, what: str, home: Path, words: str) -> None:
        with (
            self.subTest(what),
            patch("guardia.app.project.demo.files", return_value=self.folder),
            patch("guardia.app.project.demo.PLACE", ("packs",)),
            self.assertRaisesRegex(ProjectError, words),
        ):
            own_demo(home)
        self.assertFalse((home / "tern-quay").exists() or list(self.folder.rglob("outside.txt")))

    def test_the_first_start_copies_and_the_next_keeps_what_was_changed(self):
        folder = own_demo(self.folder / "home")
        with Project(folder) as project:
            camera = project.cameras.all()[0]
            project.settings.save_draft(camera.id, camera.draft.with_values(hold_s=0.4))
        self.assertEqual(own_demo(self.folder / "home"), folder)
        with Project(folder) as project:
            self.assertEqual(project.cameras.all()[0].draft.detection.hold_s, 0.4)
