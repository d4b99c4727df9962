"""The commands without a window, run as a person would."""

import contextlib
import io
import json
import os
import shutil
import subprocess
from pathlib import Path

from guardia.cli import main
from guardia.core.base.errors import ProjectError
from guardia.core.make.settings import Settings, settings_to_dict
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.report.sheet import check_sheet
from guardia.report.tables import table_file
from guardia.store.project import Project
from guardia.ui.shell.run import check_display
from tests.support import DEMO, FolderCase, capability, in_file, pontoon, scene, steady, write_clip
from tests.ui.virtual_screen import VirtualScreen

HOME = Path(__file__).resolve().parent.parent
LEFT = PolygonZone(ZoneKind.WATCH, ((0, 0), (0.5, 0), (0.5, 1), (0, 1)), "left half")


class CommandCase(FolderCase):
    def run_command(self, *arguments: object) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main([str(a) for a in arguments])
        return status, out.getvalue(), err.getvalue()

    def settings_file(self, settings: Settings) -> Path:
        path = self.folder / "settings.json"
        path.write_text(json.dumps(settings_to_dict(settings)), "utf-8")
        return path


class WholeJob(CommandCase):
    def test_a_project_is_made_filled_judged_and_tuned_without_a_window(self):
        project, stick = self.folder / "yard", self.folder / "stick"
        stick.mkdir()
        for day in range(4):
            write_clip(stick / f"2026090{4 + day}_101530.mp4", steady(3 + day, 10))
        new = ("new", project, "--site", "Yard", "--time-zone", "Europe/Oslo", "--make", "polygon-mains-camera")
        settings = self.settings_file(Settings.of("polygon-mains-camera", "7", hold_s=0.4))
        self.assertEqual(self.run_command(*new, "--camera", "Gate", "--settings", settings)[0], 0)
        status, _, err = self.run_command(*new, "--camera", "Gate")
        self.assertEqual((status, "already a camera named" in err), (2, True))
        watched = ("--watched", "2026-09-04T00:00", "2026-09-08T00:00")
        self.assertEqual(self.run_command("bring-in", project, stick, "--camera", "Gate", *watched)[0], 0)
        table = self.folder / "judged.csv"
        self.run_command("judge", project, "--camera", "Gate", "--to", table)
        rows = table.read_text("utf-8-sig").splitlines()
        self.assertEqual((rows[0], len(rows)), ("clip,start,begin,end,kind", 5))
        cells = [[row.split(",")[n] for n in (0, 2, 3)] for row in rows[1:]]
        lines = [json.dumps({"clip": c, "begin": a, "end": b, "kind": "Foliage"}) for c, a, b in cells]
        given = self.folder / "judged.jsonl"
        given.write_text("\n".join([*lines, '{"clip": "no.mp4", "begin": 0, "end": 1, "kind": ""}']), "utf-8")
        status, out, err = self.run_command("judge", project, "--camera", "Gate", "--from", given)
        self.assertEqual((status, out), (1, "4 occurrences judged\n"))
        self.assertIn("Line 5: nothing moved in 'no.mp4'", err)
        given = self.folder / "wrong.csv"
        given.write_text("clip,begin,end,kind\na.mp4,3,1,person\n", "utf-8")
        self.assertIn(
            "Line 2: it begins at 3.0 s", self.run_command("judge", project, "--camera", "Gate", "--from", given)[2]
        )
        status, out, _ = self.run_command("tune", project, "--camera", "Gate", "--save", "--json")
        found = json.loads(out)
        self.assertEqual((status, found["installed"]["false"]), (0, 4))
        self.assertLess(found["tuned"]["false"], 4)
        self.assertIn("Nothing real is judged", " ".join(found["why"]))
        with Project(project) as saved:
            draft = saved.cameras.all()[0].draft
        self.assertEqual(settings_to_dict(draft), found["settings"])
        self.assertEqual(self.run_command("tune", project, "--camera", "Gate", "--miss-cost", "0")[0], 2)
        _, _, err = self.run_command("tune", project, "--camera", "Gate", "--kind-cost", "dragon=2")
        self.assertIn("'dragon' is no kind", err)

    def test_judgements_of_clips_of_one_name_survive_the_way_out_and_in(self):
        project, stick = self.folder / "yard", self.folder / "stick"
        kinds = ("person", "foliage", "", "vehicle")
        for day in range(4):
            (stick / str(day)).mkdir(parents=True)
            clip = write_clip(stick / str(day) / "0001.mp4", steady(3 + day, 10))
            os.utime(clip, (1_788_000_000 + 86_400 * day,) * 2)
        new = ("new", project, "--site", "Yard", "--time-zone", "Europe/Oslo", "--make", "polygon-mains-camera")
        self.run_command(*new, "--camera", "Gate")
        self.run_command("bring-in", project, stick, "--camera", "Gate")
        with Project(project) as opened:
            ids = [o.id for o in opened.evidence(1).occurrences]
            opened.occurrences.judge(dict(zip(ids, kinds, strict=True)))
        table = self.folder / "judged.csv"
        self.run_command("judge", project, "--camera", "Gate", "--to", table)
        with Project(project) as opened:
            opened.occurrences.judge(dict.fromkeys(ids, "unsure"))
        status, _, err = self.run_command("judge", project, "--camera", "Gate", "--from", table)
        self.assertEqual((status, err), (0, ""))
        with Project(project) as opened:
            self.assertEqual(tuple(o.kind for o in opened.evidence(1).occurrences), kinds)
        table.write_text("clip,kind\n0001.mp4,foliage\n", "utf-8")
        status, _, err = self.run_command("judge", project, "--camera", "Gate", "--from", table)
        self.assertEqual(status, 1)
        self.assertIn("4 clips are called '0001.mp4'", err)
        with Project(project) as opened:
            self.assertEqual(tuple(o.kind for o in opened.evidence(1).occurrences), kinds)


class Commands(CommandCase):
    def test_analyse_tells_when_something_moves_and_skips_bad_files_by_name(self):
        clip = write_clip(self.folder / "yard_20260907_120000.mp4", steady(8, 10))
        bad = self.folder / "bad.mp4"
        bad.touch()
        status, out, _ = self.run_command("analyse", clip, bad, "--json", "--time-zone", "Europe/London")
        result = json.loads(out)
        self.assertEqual(status, 1)
        self.assertEqual(result["clips"][0]["start"], "2026-09-07T12:00:00+01:00")
        (span,) = result["clips"][0]["motion"]
        self.assertAlmostEqual(span["start_s"], 2.0, delta=0.25)
        self.assertAlmostEqual(span["end_s"], 5.8, delta=0.25)
        self.assertIn("bad.mp4", result["skipped"][0])
        status, out, err = self.run_command("analyse", clip)
        self.assertEqual((status, err), (0, ""))
        self.assertIn("motion 2.", out)
        self.assertEqual(self.run_command("analyse", clip, "--time-zone", "Moon/Sea")[0], 2)

    def test_bring_in_says_what_would_happen_and_then_does_it(self):
        project = self.copy_demo()
        write_clip(self.folder / "ch1_210926_120000.mp4", steady(3, 10))
        bad = self.folder / "bad.mp4"
        bad.touch()
        listed = self.folder / "list.csv"
        listed.write_text("time,class\n2026-09-21 12:00:01,person\n", "utf-8")
        clip = self.folder / "ch1_210926_120000.mp4"
        common = ("bring-in", project, clip, bad, listed, "--json", "--camera", "Slipway")
        pattern = ("--pattern", "%d%m%y_%H%M%S")
        status, out, _ = self.run_command(*common, *pattern, "--dry-run")
        told = json.loads(out)
        self.assertEqual(status, 1)
        self.assertEqual({Path(c["file"]).name: c["state"] for c in told["clips"]}["bad.mp4"], "cannot be read")
        self.assertIn("2026-09-21T12:00:00+01:00", [c["start"] for c in told["clips"]])
        with Project(project) as before:
            clips = before.clips.count()
        told = json.loads(self.run_command(*common, *pattern)[1])
        self.assertEqual((told["added"], told["measured"], told["events"]), (1, 1, 1))
        with Project(project) as after:
            self.assertEqual(after.clips.count(), clips + 1)
        self.assertEqual(self.run_command(*common[:-1], "Nowhere")[0], 2)

    def test_replay_gives_trigger_and_recording_in_seconds(self):
        clip = write_clip(self.folder / "a.mp4", steady(10, 10))
        chosen = Settings.of("polygon-mains-camera", "6", (LEFT,), hold_s=0.4, pre_record_s=1.0, length_s=None)
        status, out, _ = self.run_command("replay", clip, "--settings", self.settings_file(chosen), "--json")
        result = json.loads(out)
        self.assertEqual((status, result["limits_broken"]), (0, []))
        (one,) = result["recordings"]
        # The square enters at 2 s, is large enough two tenths later, and its tail leaves the left half at 4 s.
        self.assertAlmostEqual(one["trigger_s"], 2.6, delta=0.25)
        self.assertAlmostEqual(one["start_s"], one["trigger_s"] - 1.0, places=3)
        self.assertAlmostEqual(one["motion_end_s"], 3.8, delta=0.3)
        self.assertAlmostEqual(one["end_s"], one["motion_end_s"] + 1.0, places=3)
        off = self.settings_file(Settings.of("polygon-mains-camera", "6", detection_on=False))
        self.assertIn("0 recordings", self.run_command("replay", clip, "--settings", off)[1])

    def test_replay_takes_the_notch_of_the_night_for_a_dark_clip(self):
        dark = write_clip(self.folder / "n.mp4", steady(10, 10), picture=lambda s: scene(s) // 5)
        for notch, night, count in (("1", "10", 1), ("10", "1", 0), ("10", "", 1)):
            chosen = self.settings_file(Settings.of("polygon-mains-camera", notch, (LEFT,), night_notch=night))
            result = json.loads(self.run_command("replay", dark, "--settings", chosen, "--json")[1])
            self.assertEqual(len(result["recordings"]), count, (notch, night))
            make = capability()
            self.assertAlmostEqual(result["needed_percent"], 100 * make.notch(night or notch).size, delta=0.01)

    def test_replay_refuses_what_it_cannot_read_in_one_sentence(self):
        clip = write_clip(self.folder / "a.mp4", steady(1, 5))
        bad = self.folder / "bad.json"
        for text, word in (
            ("{", "not JSON"),
            ("[1]", "one JSON object"),
            ('{"format": "x"}', "not a Guardia settings"),
        ):
            bad.write_text(text)
            status, out, err = self.run_command("replay", clip, "--settings", bad)
            self.assertEqual((status, out, err.count("\n")), (2, "", 1))
            self.assertIn(word, err)
        unknown = self.settings_file(Settings.of("toaster", "1"))
        self.assertIn("no make 'toaster'", self.run_command("replay", clip, "--settings", unknown)[2])
        self.assertIn("cannot be read", self.run_command("replay", clip, "--settings", self.folder / "none.json")[2])

    def test_score_of_the_demo_counts_every_judged_occurrence(self):
        status, out, _ = self.run_command("score", DEMO, "--json", "--camera", "Pontoon gate")
        (camera,) = json.loads(out)["cameras"]
        self.assertEqual(len(json.loads(self.run_command("score", DEMO, "--json")[1])["cameras"]), 6)
        self.assertEqual((status, camera["name"]), (0, "Pontoon gate"))
        with Project(DEMO) as project:
            evidence = project.evidence(pontoon(project).id)
        counted = camera["installed"]
        names = ("real_recorded", "real_missed", "false_recorded", "false_silenced", "unjudged")
        self.assertEqual(sum(counted[n] for n in names), len(evidence.visits))
        self.assertEqual(counted["watched_days"], 10)
        self.assertIn("motion clips made under known settings", camera["explained"])
        self.assertGreater(counted["false_per_day"], 2)
        self.assertEqual(camera["changes"], [])
        status, _, err = self.run_command("score", DEMO, "--camera", "Attic")
        self.assertEqual(status, 2)
        self.assertIn("Pontoon gate", err)

    def test_the_sheet_of_the_draft_or_of_other_settings_changes_nothing(self):
        demo, paper = self.copy_demo(), self.folder / "sheet.pdf"
        with Project(demo) as project:
            gate = pontoon(project)
        other = gate.draft.with_values(alerts_on=False, overwrite=False)
        given = self.settings_file(other)
        command = ("sheet", demo, "--camera", "Pontoon gate")
        status, out, _ = self.run_command(*command, "--settings", given, "--pdf", paper)
        self.assertEqual(status, 0)
        self.assertTrue(paper.read_bytes().startswith(b"%PDF"))
        self.assertIn("* Alerts: OFF (nobody is alerted) (was on)", out)
        self.assertIn("* When the store is full: STOPS (nothing is recorded then) (was the oldest", out)
        sheet = json.loads(self.run_command(*command, "--json")[1])
        check_sheet(sheet)
        self.assertEqual(sheet["settings"], settings_to_dict(gate.draft))
        self.assertIn("motion clips made under known settings", " ".join(sheet["prediction"]["limits"]))
        with Project(demo) as project:
            self.assertEqual(pontoon(project), gate)
        given.write_text(json.dumps(settings_to_dict(Settings.of("phone-as-camera", "medium"))), "utf-8")
        self.assertIn("are of the make 'phone-as-camera'", self.run_command(*command, "--settings", given)[2])
        self.assertEqual(self.run_command(*command, "--pdf", self.folder / "no" / "x.pdf")[0], 2)

    def test_the_examples_in_the_documentation_work(self):
        text = (HOME / "docs" / "formats.md").read_text("utf-8")
        examples = [e.split("```")[0] for e in text.split("```json\n")[1:] if '"guardia-settings"' in e.split("```")[0]]
        self.assertGreaterEqual(len(examples), 3)
        clip = write_clip(self.folder / "a.mp4", steady(3, 10))
        for example in examples:
            path = self.folder / "example.json"
            path.write_text(example)
            with self.subTest(example[:80]):
                self.assertEqual(self.run_command("replay", clip, "--settings", path)[0], 0)

    def test_damaged_entries_are_listed_and_deleted_only_once_they_are_saved(self):
        folder = Path(shutil.copytree(DEMO, self.folder / "site"))
        self.assertEqual(self.run_command("damaged", folder)[:2], (0, "Every entry can be read.\n"))
        in_file(
            folder, "UPDATE occurrence SET kind = 'ghost' WHERE id = (SELECT max(id) FROM occurrence WHERE NOT gone)"
        )
        code, said, _ = self.run_command("damaged", folder)
        self.assertEqual((code, said.splitlines()[-1]), (1, "1 entry cannot be read."))
        code, _, error = self.run_command("damaged", folder, "--delete")
        self.assertEqual((code, "--save" in error), (2, True))
        saved = self.folder / "damaged.json"
        code, _, error = self.run_command("damaged", folder, "--delete", "--save", self.folder / "none" / "x.json")
        self.assertIn("Nothing was deleted.", error)
        code, said, _ = self.run_command("damaged", folder, "--delete", "--save", saved)
        self.assertEqual(code, 0, said)
        ((row,),) = (one["rows"] for one in json.loads(saved.read_text("utf-8")))
        self.assertEqual((row["table"], row["kind"]), ("occurrence", "ghost"))
        self.assertEqual(self.run_command("damaged", folder, "--json")[:2], (0, "[]\n"))


class FrontDoor(FolderCase):
    def call(self, *arguments: str, **environment: str) -> subprocess.CompletedProcess:
        values = {"PATH": os.environ["PATH"], "HOME": str(self.folder), **environment}
        return subprocess.run(arguments, env=values, capture_output=True, text=True, timeout=120, check=False)

    def test_no_screen_is_told_in_one_sentence(self):
        done = self.call(str(HOME / "guardia"), "demo")
        self.assertEqual((done.returncode, done.stderr.count("\n")), (1, 1))
        self.assertIn("no screen", done.stderr)

    def test_no_suitable_python_is_told_with_what_to_do(self):
        elsewhere = self.folder / "guardia-copy"
        elsewhere.mkdir()
        for name in ("guardia", "requirements.txt"):
            shutil.copy(HOME / name, elsewhere / name)
        tools = self.folder / "tools"
        tools.mkdir()
        for name in ("bash", "env", "dirname", "readlink", "cmp", "cat"):
            (tools / name).symlink_to(shutil.which(name))
        done = self.call(str(elsewhere / "guardia"), "analyse", "x.mp4", PATH=str(tools))
        self.assertEqual(done.returncode, 1)
        self.assertIn("Python 3.11 or newer is needed", done.stderr)
        self.assertFalse((elsewhere / ".venv").exists())

    def test_help_and_version_need_nothing_to_be_set_up(self):
        elsewhere = self.bare_copy("docs/commands.txt", "src/guardia/__init__.py")
        for words in ("--help", "help", "-h"):
            self.assertIn("portfolio", self.call(str(elsewhere / "guardia"), words).stdout)
        self.assertIn("Usage", self.call(str(elsewhere / "guardia")).stdout)
        self.assertRegex(self.call(str(elsewhere / "guardia"), "--version").stdout, r"^Guardia \d+\.\d+")
        self.assertFalse((elsewhere / ".venv").exists())

    def bare_copy(self, *names):
        elsewhere = self.folder / "guardia-copy"
        for name in ("guardia", "requirements.txt", "requirements-dev.txt", *names):
            (elsewhere / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(HOME / name, elsewhere / name)
        return elsewhere

    def test_libraries_that_are_not_whole_are_made_anew(self):
        elsewhere = self.bare_copy()
        half = elsewhere / ".venv" / "bin"
        half.mkdir(parents=True)
        (half / "left over").write_text("from an installation that was cut short")
        (half.parent / ".guardia").touch()
        fake = self.fake_python('case "$1" in -c) exit 0;; *) echo tried to make it >&2; exit 1;; esac')
        done = self.call(str(elsewhere / "guardia"), "analyse", "x.mp4", GUARDIA_PYTHON=fake)
        self.assertIn("not whole", done.stderr)
        self.assertIn("tried to make it", done.stderr)
        self.assertFalse((elsewhere / ".venv").exists(), "nothing half made is left behind")

    def fake_python(self, body):
        fake = self.folder / "python"
        fake.write_text(f"#!/bin/sh\n{body}\n")
        fake.chmod(0o755)
        return str(fake)

    def test_an_environment_of_somebody_elses_is_left_as_it_is(self):
        elsewhere = self.bare_copy()
        own = elsewhere / ".venv" / "bin" / "mine"
        own.parent.mkdir(parents=True)
        own.touch()
        fake = self.fake_python("exit 0")
        done = self.call(str(elsewhere / "guardia"), "analyse", "x.mp4", GUARDIA_PYTHON=fake)
        self.assertEqual((done.returncode, done.stderr.count("\n")), (1, 1))
        self.assertIn("was not made by Guardia", done.stderr)
        self.assertTrue(own.exists())

    def test_of_two_first_starts_at_once_one_makes_the_libraries_and_the_other_waits(self):
        elsewhere, log, go = self.bare_copy(), self.folder / "log", self.folder / "go"
        os.mkfifo(go)
        fake = self.fake_python(
            f"""case "$1 $2" in
            "-m venv") echo venv >> {log}; read word < {go}; mkdir -p "$3/bin"; cp "$0" "$3/bin/python" ;;
            "-m pip") echo pip >> {log} ;;
            "-m guardia") echo guardia >> {log} ;;
            "-c import sysconfig"*) dirname "$0" ;;
            esac"""
        )
        values = {"PATH": os.environ["PATH"], "HOME": str(self.folder), "GUARDIA_PYTHON": fake}
        command = [str(elsewhere / "guardia"), "analyse", "x.mp4"]
        started = []
        for wanted in ("Setting up Guardia", "waits for it"):
            started.append(subprocess.Popen(command, env=values, stderr=subprocess.PIPE, text=True))
            self.addCleanup(started[-1].stderr.close)
            self.assertIn(wanted, started[-1].stderr.readline())
        go.write_text("on\n")
        self.assertEqual([p.wait(60) for p in started], [0, 0])
        self.assertEqual(log.read_text().split(), ["venv", "pip", "guardia", "guardia"])

    def test_a_named_python_that_does_not_run_is_told(self):
        done = self.call(str(self.bare_copy() / "guardia"), "score", "x", GUARDIA_PYTHON="/nowhere/python")
        self.assertEqual(done.returncode, 1)
        self.assertIn("GUARDIA_PYTHON names '/nowhere/python'", done.stderr)

    def test_a_screen_that_does_not_answer_is_told(self):
        for display in (":4711", "localhost:4711", "nonsense"):
            with self.subTest(display), self.assertRaisesRegex(ProjectError, "cannot be reached.*DISPLAY"):
                check_display({"DISPLAY": display})
        check_display({"QT_QPA_PLATFORM": "offscreen"})

    def test_a_screen_number_that_the_display_does_not_have_is_told(self):
        display = VirtualScreen(self, (640, 480)).environment["DISPLAY"]
        check_display({"DISPLAY": f"{display}.0"})
        with self.assertRaisesRegex(ProjectError, "cannot be reached.*DISPLAY"):
            check_display({"DISPLAY": f"{display}.5"})


class OddFiles(CommandCase):
    def test_a_pipe_an_empty_folder_and_a_folder_that_cannot_be_written_are_told(self):
        os.mkfifo(self.folder / "x.csv")
        project = shutil.copytree(DEMO, self.folder / "p")
        for command in (
            ("judge", project, "--camera", "Slipway", "--from", self.folder / "x.csv"),
            ("replay", "x.mp4", "--settings", self.folder / "x.csv"),
        ):
            status, _, said = self.run_command(*command)
            self.assertEqual(status, 2)
            self.assertIn("a pipe", said)
        (self.folder / "empty").mkdir()
        status, _, said = self.run_command("analyse", self.folder / "empty")
        self.assertEqual(status, 2)
        self.assertIn("no video file", said)
        (self.folder / "file").write_text("")
        status, _, said = self.run_command("screenshots", "--folder", self.folder / "file" / "below")
        self.assertEqual(status, 2)
        self.assertIn("No picture can be saved", said)

    def test_a_text_that_a_spreadsheet_would_run_is_guarded_and_numbers_stay_numbers(self):
        path = self.folder / "t.csv"
        table = table_file(path, [{"name": "=HYPERLINK(1)", "also": "@x", "rate": -0.5, "plain": "gate"}])
        self.assertEqual(table.decode("utf-8-sig").splitlines()[1], "'=HYPERLINK(1),'@x,-0.5,gate")
