"""Several projects: as one list from what each keeps, and two copies of one brought together."""

import contextlib
import io
import json
import os
import shutil
import sqlite3
from dataclasses import asdict

import numpy as np

from guardia.app.project.merging import Keep, merge
from guardia.app.project.portfolio import portfolio
from guardia.app.project.session import Session
from guardia.app.site.summary import kept_summaries, summary_of
from guardia.app.work.messages import MessageHub
from guardia.cli import main
from guardia.core.base.errors import InvalidValue, ProjectError
from guardia.core.storage.readings import Measure, Reading
from guardia.store.peek import peek
from guardia.store.project import Project
from tests.support import FolderCase, in_file
from tests.unlike import START, Made, make_project, trace_of


class Sites(FolderCase):
    def site(self, name, kinds=("person", "foliage", "")):
        rng = np.random.default_rng(3)
        clips = [Made(trace_of(rng, "walker"), k, START + 700.0 * n) for n, k in enumerate(kinds)]
        return make_project(self.folder / "sites" / name, clips)

    def opened(self, folder):
        """A project opened and closed again, which keeps its line."""
        session = Session(folder, MessageHub())
        session.load_cameras()
        lines = {i: summary_of(m) for i, m in session.cameras.opened.items()}
        session.close()
        return lines


class Portfolio(Sites):
    def test_sites_stand_worst_first_by_what_they_knew_when_they_were_closed(self):
        calm, busy, never = self.site("calm", ["person"] * 2), self.site("busy", ["person"] * 5), self.site("never")
        lines = self.opened(busy)
        self.opened(calm)
        (self.folder / "sites" / "not one").mkdir()
        sites = portfolio(self.folder / "sites")
        self.assertEqual(sites[0].folder, busy)
        self.assertEqual({s.folder for s in sites}, {calm, busy, never})
        self.assertEqual(sites[0].lines, tuple(lines.values()))
        self.assertIn("open it once", next(s for s in sites if s.folder == never).words)
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            self.assertEqual(main(["portfolio", str(self.folder / "sites"), "--json"]), 0)
        self.assertEqual([one["folder"] for one in json.loads(out.getvalue())], [str(s.folder) for s in sites])

    def test_a_look_changes_nothing_and_what_cannot_be_read_is_said(self):
        good = self.site("good")
        self.opened(good)
        before = {p: (p.stat().st_mtime_ns, p.stat().st_size) for p in good.rglob("*")}
        self.assertEqual(len(peek(good).summaries), 1)
        self.assertEqual({p: (p.stat().st_mtime_ns, p.stat().st_size) for p in good.rglob("*")}, before)
        foreign = self.folder / "sites" / "foreign"
        foreign.mkdir()
        (foreign / "project.sqlite").write_bytes(b"no database" * 99)
        alien = self.folder / "sites" / "alien"
        alien.mkdir()
        with contextlib.closing(sqlite3.connect(alien / "project.sqlite")) as other:
            other.execute("CREATE TABLE site (name)")
        linked = self.folder / "sites" / "linked"
        linked.mkdir()
        os.symlink(good / "project.sqlite", linked / "project.sqlite")
        for folder in (foreign, alien, linked, self.folder):
            with self.subTest(folder.name), self.assertRaises(ProjectError):
                peek(folder)
        troubles = [s.trouble for s in portfolio(self.folder / "sites")]
        self.assertEqual(sum(map(bool, troubles)), 3)
        with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
            self.assertEqual(main(["portfolio", str(self.folder / "empty")]), 1)

    def test_a_line_is_worked_out_anew_once_something_changed(self):
        folder = self.site("one")
        self.opened(folder)
        with Project(folder) as project:
            ((camera, (line, holds)),) = kept_summaries(project).items()
            self.assertTrue(holds)
            occurrence = project.evidence(camera).occurrences[-1].id
            project.occurrences.judge({occurrence: "person"})
            self.assertFalse(kept_summaries(project)[camera][1])
        (after,) = self.opened(folder).values()
        self.assertEqual(after.unjudged, line.unjudged - 1)
        in_file(folder, "UPDATE summary SET body = '{\"name\": 3}'")
        with Project(folder) as project:
            self.assertEqual(kept_summaries(project), {})


class Merging(Sites):
    def copies(self):
        first = self.site("first", ["", "", "", "person"])
        second = self.folder / "second"
        shutil.copytree(first, second)
        return first, second

    def judge(self, folder, **kinds):
        with Project(folder) as project:
            occurrences = project.evidence(1).occurrences
            project.occurrences.judge({occurrences[int(n[1:])].id: kind for n, kind in kinds.items()})

    def kinds(self, folder):
        with Project(folder) as project:
            return [o.kind for o in project.evidence(1).occurrences]

    def test_what_only_one_judged_is_taken_and_differences_are_shown_and_logged(self):
        first, second = self.copies()
        self.judge(first, o0="foliage", o1="person")
        self.judge(second, o1="animal", o2="vehicle")
        with Project(second) as project:
            project.readings.set_of_camera(1, [Reading(START, Measure.SIGNAL, -60.0)])
            project.logbook.add(1, "visit", "trimmed the hedge")
        untouched = self.kinds(second)
        merged = merge(first, second)
        self.assertEqual(self.kinds(first), ["foliage", "animal", "vehicle", "person"], "the later judgement stays")
        self.assertEqual((merged.taken, merged.readings, len(merged.differences)), (2, 1, 1))
        self.assertIn("person (", merged.differences[0].words)
        with Project(first) as project:
            log = project.logbook.of(1)
            self.assertEqual({e.what for e in log}, {"merged", "visit"})
            self.assertIn("kept animal", next(e for e in log if e.what == "merged").detail)
            judged = [j for j in project.occurrences.judged(1) if j.kind == "vehicle"]
            self.assertTrue(judged[0].at_s > 0 and judged[0].by)
        self.assertEqual(self.kinds(second), untouched)
        again = merge(first, second)
        self.assertEqual((again.taken, again.readings, again.differences), (0, 0, ()), "a second time changes nothing")

    def test_either_side_can_be_kept(self):
        for keep, kind in ((Keep.FIRST, "person"), (Keep.SECOND, "animal"), (Keep.LATER, "person")):
            first, second = self.copies()
            self.judge(second, o1="animal")
            self.judge(first, o1="person")
            merge(first, second, keep=keep)
            with self.subTest(keep):
                self.assertEqual(self.kinds(first)[1], kind)
            shutil.rmtree(first)
            shutil.rmtree(second)

    def test_what_was_undone_is_known_from_what_was_said_later(self):
        first, second = self.copies()
        session = Session(first, MessageHub())
        self.addCleanup(session.close)
        ids = [o.id for o in session.camera(1).evidence.occurrences]

        before = {n: self.stamp(first, ids[n]) for n in (0, 3)}
        session.occurrences.judge({1: ids[:1]}, "foliage")
        session.occurrences.judge({1: ids[3:]}, "animal")
        between = self.folder / "between"
        shutil.copytree(first, between)  # a copy that still has both
        made = self.stamp(first, ids[3])
        session.undo.undo()
        session.undo.undo()
        self.assertEqual(self.stamp(first, ids[3])[:3], before[3][:3], "kind, moment and person are those of before")
        session.undo.redo()
        session.undo.redo()
        self.assertEqual(self.stamp(first, ids[3]), made, "so they are after redo")
        session.undo.undo()
        session.undo.undo()
        self.judge(second, o0="vehicle")  # somebody else's word, made meanwhile on a copy of before
        session.close()
        self.assertEqual(merge(first, between).taken, 0, "what is still there was undone here")
        self.assertEqual(self.kinds(first), ["", "", "", "person"])
        self.assertEqual(merge(between, first).taken, 2, "and the other way it is undone there, too")
        self.assertEqual(self.kinds(between), ["", "", "", "person"])
        merge(first, second)
        self.assertEqual(self.kinds(first), ["vehicle", "", "", "person"])

    def stamp(self, folder, number):
        with Project(folder) as project:
            return project.occurrences.said([number])[number]

    def test_foreign_projects_and_what_is_not_here_are_said(self):
        first, second = self.copies()
        with self.assertRaisesRegex(InvalidValue, "same project"):
            merge(first, first)
        other = make_project(
            self.folder / "other", [Made(trace_of(np.random.default_rng(9), "walker"), "person", START)]
        )
        notes = merge(first, other).notes
        self.assertIn("1 judgement", notes[0])
        in_file(second, "UPDATE camera SET name = 'Elsewhere'")
        with self.assertRaisesRegex(InvalidValue, "No camera"):
            merge(first, second)
        out = io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(out):
            self.assertEqual(main(["merge", str(first), str(other), "--json"]), 1)
        self.assertIn("does not have", out.getvalue())
        self.assertEqual(asdict(merge(first, other))["taken"], 0)
