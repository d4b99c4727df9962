import dataclasses
import io
import json
from datetime import datetime
from zoneinfo import ZoneInfo

from jsonschema import Draft202012Validator
from pypdf import PdfReader

from guardia.core.base.errors import InvalidValue
from guardia.core.hours.modes import Mode
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.candidate import Candidate
from guardia.core.make.levers import EXTRAS, LEVERS, ZONES, limits_broken
from guardia.core.make.settings import Settings, settings_from_dict
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneKind
from guardia.core.score.candidates import Scorer
from guardia.core.storage.rules import Quality, RecordingMode
from guardia.core.storage.stores import StoreKind
from guardia.report.sheet import SheetContent, changes_of, check_sheet, lines_against, parted, sheet_to_dict, steps
from guardia.report.sheet_pdf import sheet_pdf
from guardia.report.zone_drawing import EDGE, zone_pdf
from tests.support import FolderCase, blob_trace, capability, evidence_of, plain, tried

ZONE = PolygonZone(ZoneKind.IGNORE, ((0, 0), (0.25, 0), (0.25, 0.3), (0, 0.3)), "Fähnchen & <rope>")
DRAFT = Settings.of("polygon-mains-camera", "6", (ZONE,), hold_s=0.6, rest_s=5.0, length_s=20.0, stop_when_still=True)


def content(settings: Settings = DRAFT) -> SheetContent:
    evidence = evidence_of([blob_trace([9] * 20), blob_trace([5] * 20)], kinds=["person", "foliage"])
    made = datetime(2026, 9, 18, 14, 5, tzinfo=ZoneInfo("Europe/London"))
    comparison = Scorer().compare(evidence, tried(plain(4)), tried(plain(8)))
    return SheetContent("Tern Quay", "Europe/London", "Pontoon gate", capability(), settings, comparison, made)


class SettingsSheet(FolderCase):
    def test_the_json_sheet_keeps_to_its_published_schema_and_gives_the_settings_back(self):
        data = json.loads(json.dumps(sheet_to_dict(content())))
        check_sheet(data)
        self.assertEqual(settings_from_dict(data["settings"]), DRAFT)
        self.assertEqual(data["made"], "2026-09-18T14:05:00+01:00")
        self.assertEqual(data["prediction"]["draft"]["false_silenced"], 1)
        self.assertEqual(data["prediction"]["installed"]["false_recorded"], 1)

    def test_the_schema_itself_is_sound_and_refuses_spoilt_sheets(self):
        from importlib.resources import files

        schema = json.loads((files("guardia") / "data" / "schemas" / "settings-sheet.schema.json").read_text("utf-8"))
        Draft202012Validator.check_schema(schema)
        good = sheet_to_dict(content())
        for change in ({"version": 9}, {"camera": None}, {"password": "secret"}, {"settings": {"format": "x"}}):
            with self.subTest(change), self.assertRaises(InvalidValue):
                check_sheet({**good, **change})

    def test_the_steps_are_in_the_makes_own_terms(self):
        text = "\n".join(steps(DRAFT, capability()))
        for words in (
            "Sensitivity: 6 (scale from 1",
            "(25.0, 30.0)",
            "Minimum duration: 0.6 s",
            "Recording length: 20 s",
        ):
            self.assertIn(words, text)
        blocks = Settings.of("grid-zone-recorder", "3", (BlockZone(2, 1, (True, False)),), detection_on=False)
        text = "\n".join(steps(blocks, capability("grid-zone-recorder")))
        for words in ("OFF", "198 of 22 x 18, row: columns from 1: 1: 1-11", "as long as it moves"):
            self.assertIn(words, text)

    def test_each_line_says_what_is_on_the_camera_now(self):
        other = dataclasses.replace(ZONE, name="gate: left, low")
        installed = Settings.of("polygon-mains-camera", "7", (ZONE, other), hold_s=0.4, rest_s=5.0)
        lines = {line.text: line for line in lines_against(installed, DRAFT, capability())}
        notes = {text.split(":")[0]: line.note for text, line in lines.items() if line.changes}
        self.assertEqual(
            notes,
            {
                "Sensitivity": "was 7",
                "Minimum duration": "was 0.4 s",
                "Recording length": "was as long as it moves",
                "Stops once it is still": "was no",
                "Ignore zone 'gate": "no longer",
            },
        )
        self.assertIn("Ignore zone 'gate: left, low': delete it", lines)
        self.assertFalse(any(line.changes for line in lines_against(DRAFT, DRAFT, capability())))
        drawn = lines_against(Settings.of("polygon-mains-camera", "6"), DRAFT, capability())
        self.assertEqual({line.note for line in drawn if ZONE.name in line.text}, {"new"})
        spoken = " ".join(PdfReader(io.BytesIO(sheet_pdf(content()))).pages[0].extract_text().split())
        self.assertIn("Minimum duration: 0.6 s (was 0 s)", spoken)

    def test_every_lever_set_back_to_its_usual_value_stands_on_every_sheet(self):
        make = dataclasses.replace(
            capability("battery-camera-on-hub"), night_notch=True, object_classes=("person",), stop_when_still=True,
            storage=dataclasses.replace(
                capability("battery-camera-on-hub").storage, second_mbit_s=1.0, power=None,
                qualities=(Quality("high", 1920, 1080, 15.0), Quality("low", 640, 360, 10.0)),
            ),
        )  # fmt: skip
        always = WeekPlan((Stretch(EVERY_DAY, Edge(480), Edge(1080)),))
        other = {
            "detection_on": False, "zones": (ZONE,), "notch": make.notches[-1].label, "sensitivity": (18, 0.01),
            "night_notch": make.notches[0].label, "hold_s": 3.0, "objects": ("person",), "pre_record_s": 4.0,
            "length_s": 30.0, "stop_when_still": True, "rest_s": 60.0, "release_s": 3.0, "recording_plan": always,
            "modes": (Mode("closed", always, records=False),), "alerts_on": False, "alert_plan": always,
            "alert_interval_s": 60.0, "alert_classes": ("person",), "causes_off": ("sound",), "phone_allows": False,
            "status_light": "off", "target": StoreKind.CARD,
            "overwrite": False, "mode": RecordingMode.CONTINUOUS, "quality": "low", "snapshot_every_s": 60.0,
            "second_stream": True, "white_light": True, "extras": (("siren", "off"),),
        }  # fmt: skip
        self.assertEqual(list(other), [lever.id for lever in LEVERS])
        usual = Settings.of(make.id, make.notches[0].label)
        for lever in LEVERS:
            moved = usual.with_values(**{lever.id: other[lever.id]})
            for before, after in ((moved, usual), (usual, moved)):
                with self.subTest(lever.id, back=after is usual):
                    changed = changes_of(before, after, make)
                    self.assertEqual(len(changed), 1 + (lever is ZONES and after is usual), changed)
                    begins = "Siren: " if lever is EXTRAS else f"{lever.subject}: "
                    self.assertTrue(lever is ZONES or changed[0].startswith(begins), changed)
                    self.assertIn(" (was ", changed[0] if lever is not ZONES else " (was ")
            self.assertEqual([], changes_of(moved, moved, make))

    def test_two_zones_drawn_under_one_name_are_both_on_the_sheet(self):
        beside = dataclasses.replace(ZONE, points=((0.5, 0.5), (0.9, 0.5), (0.9, 0.9)))
        draft = DRAFT.with_values(zones=(ZONE, beside))
        named = [z.name for z in draft.detection.zones]
        self.assertEqual(len(set(named)), 2)
        text = " ".join(page.extract_text() for page in PdfReader(io.BytesIO(sheet_pdf(content(draft)))).pages)
        for part in ("(25.0, 30.0)", "(90.0, 90.0)"):
            self.assertIn(part, "\n".join(steps(draft, capability())))
            self.assertIn(part, text)

    def test_the_pdf_holds_every_step_the_figures_and_the_cautions_and_no_picture(self):
        reader = PdfReader(io.BytesIO(sheet_pdf(content())))
        text = " ".join(" ".join(page.extract_text().split()) for page in reader.pages)
        for line in steps(DRAFT, capability()):
            self.assertIn(" ".join(line.split()), text)
        for words in ("Settings sheet: Pontoon gate", "2026-09-18 14:05", "life-safety", "Real, missed", "installed"):
            self.assertIn(words, text)
        self.assertEqual(sum(len(page.images) for page in reader.pages), 0)

    def test_a_name_that_fills_more_than_a_page_goes_on_on_the_next(self):
        always = WeekPlan((Stretch(EVERY_DAY, Edge(360), Edge(600)),))
        for name in ("9" * 2000, "w " * 999 + "w"):
            draft = DRAFT.with_values(modes=tuple(Mode(f"{n} {name}"[:2000], always) for n in range(6)))
            pages = PdfReader(io.BytesIO(sheet_pdf(content(draft)))).pages
            text = "".join(page.extract_text() for page in pages)
            self.assertGreaterEqual(text.count(name[-1]), 6 * 900)

    def test_what_changes_comes_first_and_zones_are_drawn_in_the_shape_of_the_picture(self):
        installed = content().comparison.installed_replay.candidate.settings
        changed, same = parted(lines_against(installed, DRAFT, capability()))
        self.assertTrue(changed and same)
        self.assertTrue(all(line.changes for line in changed) and not any(line.changes for line in same))
        text = " ".join(page.extract_text() for page in PdfReader(io.BytesIO(sheet_pdf(content()))).pages)
        self.assertLess(text.index(changed[-1].text.split(":")[0]), text.index("As it is already"))
        for aspect in (9 / 16, 3 / 4, 16 / 9):
            page = PdfReader(io.BytesIO(zone_pdf((ZONE,), aspect=aspect))).pages[0]
            width, height = (float(side) - EDGE for side in page.mediabox[2:])
            self.assertAlmostEqual(height / width, aspect, delta=0.01)
            self.assertTrue({"1", "2", "3", "4"} <= set(page.extract_text().split()), "corners are numbered")
        blocks = BlockZone(4, 3, (True, False, False, False) * 3)
        numbers = PdfReader(io.BytesIO(zone_pdf((blocks,), aspect=0.75))).pages[0].extract_text().split()
        self.assertEqual(sorted(numbers), sorted(["1", "2", "3", "4", "1", "2", "3"]))

    def test_polygons_for_a_make_with_blocks_are_told_and_drawn_as_blocks(self):
        draft = Settings.of("phone-as-camera", "medium", (ZONE,))
        text = "\n".join(steps(draft, capability("phone-as-camera")))
        # The zone covers the 4 left columns of the upper 3 rows of 16 x 9 blocks: all the others stay on.
        self.assertIn("Blocks on, 132 of 16 x 9", text)
        self.assertIn("1: 5-16  2: 5-16  3: 5-16  4: 1-16", text)
        blocks = dataclasses.replace(content(draft), capability=capability("phone-as-camera"))
        self.assertTrue(sheet_pdf(blocks).startswith(b"%PDF"))
        self.assertEqual(limits_broken(Candidate(draft, capability("phone-as-camera"))), [])

    def test_names_in_other_scripts_are_in_the_pdf_and_a_letter_without_a_font_is_told(self):
        # Read back by another library, which puts what is drawn from right to left into reading order.
        hebrew, arabic, cyrillic = "\u05de\u05d7\u05e1\u05df", "\u0634\u0637", "\u0421\u043a\u043b\u0430\u0434"
        for name in (hebrew, arabic, cyrillic, "\u4ed3\u5e93", "\u304b\u304e", "\ucc3d\uace0"):
            drawn = "\ufeb7\ufec2" if name == arabic else name  # joined: the initial and the final form
            with self.subTest(name):
                zone = dataclasses.replace(ZONE, name=name)
                sheet = dataclasses.replace(content(DRAFT.with_values(zones=(zone,))), camera=name)
                text = "".join(page.extract_text() for page in PdfReader(io.BytesIO(sheet_pdf(sheet))).pages)
                self.assertGreaterEqual(text.count(drawn), 3, "in the title, in its step and on the drawing")
                self.assertNotIn("a letter this PDF has no font for", text)
        sheet = dataclasses.replace(content(), camera="dock \U0001f6f6")
        text = "".join(page.extract_text() for page in PdfReader(io.BytesIO(sheet_pdf(sheet))).pages)
        self.assertIn("dock \u25a1", text)
        self.assertIn("a letter this PDF has no font for", text)
