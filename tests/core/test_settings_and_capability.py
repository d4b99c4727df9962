import json
import unittest
from dataclasses import replace
from pathlib import Path

from jsonschema import Draft202012Validator

from guardia.app.camera.makes import capability_data, shipped_capabilities
from guardia.core.base.errors import InvalidValue, ProjectError
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.levers import LEVERS, limits_broken
from guardia.core.make.settings import PART_OF, Sensitivity, Settings, settings_from_dict, settings_to_dict
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneKind
from guardia.core.replay.gates import GATES
from tests.support import capability, tried

HOME = Path(__file__).resolve().parents[2]


def paths(value, path=()):
    """Every place in a JSON value."""
    yield path
    pairs = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, part in pairs:
        yield from paths(part, (*path, key))


def with_change(value, path, new):
    """A copy with another value at a place, without it, or with a name beside it that nobody knows."""
    changed = json.loads(json.dumps(value))
    if not path:
        return {**changed, "unheard": 1} if new == "__new__" else {} if new == "__gone__" else changed
    at = changed
    for key in path[:-1]:
        at = at[key]
    if new == "__gone__":
        del at[path[-1]]
    elif new == "__new__" and isinstance(at, dict):
        at["unheard"] = 1
    else:
        at[path[-1]] = new
    return changed


TRIANGLE = ((0.1, 0.1), (0.9, 0.1), (0.5, 0.9))


class SettingsFiles(unittest.TestCase):
    def test_settings_survive_their_json_form(self):
        whole = Settings.of(
            "grid-zone-recorder", "3", (PolygonZone(ZoneKind.WATCH, TRIANGLE, "yard"), BlockZone(2, 1, (True, False))),
            detection_on=False, hold_s=0.6, release_s=2.0, rest_s=10.0, pre_record_s=5.0, length_s=20.0,
            stop_when_still=True, sensitivity=Sensitivity(12, 0.01), objects=("person",),
        )  # fmt: skip
        self.assertEqual(settings_from_dict(json.loads(json.dumps(settings_to_dict(whole)))), whole)
        self.assertEqual(settings_from_dict(settings_to_dict(Settings.of("x", "1"))), Settings.of("x", "1"))

    def test_bad_settings_are_refused_in_words(self):
        good = settings_to_dict(Settings.of("x", "1"))
        for change, word in (
            ({"format": "other"}, "not a Guardia settings file"),
            ({"version": 9}, "newer Guardia"),
            ({"detection": 3}, "detection: Input should be an object"),
            ({"detection": {"hold_s": "soon"}}, "detection.hold_s: Input should be a valid number"),
            ({"detection": {"hold_s": -1}}, "between 0 and"),
            ({"recording": {"rest_s": float("nan")}}, "between 0 and"),
            ({"recording": {"length_s": 0.2}}, "between 1 and"),
            ({"detection": {"detection_on": "no"}}, "detection_on: Input should be a valid boolean"),
            ({"detection": {"zones": 3}}, "zones: Input should be a valid"),
            ({"detection": {"zones": [3]}}, "A zone cannot be read"),
            ({"detection": {"sensitivity": {"contrast": 9, "size": 0.1}}}, "contrast must be one of"),
            ({"detection": {"sensitivity": {"contrast": 12}}}, "sensitivity.*cannot be read|cannot be read.*size"),
        ):
            with self.subTest(change), self.assertRaisesRegex(InvalidValue, word):
                settings_from_dict({**good, **change})

    def test_a_name_that_is_not_known_is_refused_with_the_nearest_that_is(self):
        good = settings_to_dict(Settings.of("x", "1"))
        for change, words in (
            ({"detection": {"hold": 60}}, "detection.hold: this name is not known; did you mean 'hold_s'"),
            ({"detection": {"detction_on": False}}, "did you mean 'detection_on'"),
            ({"zone": []}, "zone: this name is not known; did you mean 'zones'"),
            ({"alerts": {"qqqq": 1}}, r"alerts.qqqq: this name is not known\)"),
            ({"hours": {"modes": [{"name": "a", "plan": {}, "record": True}]}}, "did you mean 'records'"),
            ({"detection": {"zones": [{"kind": "watch", "pionts": []}]}}, "did you mean 'points'"),
        ):
            with self.subTest(change), self.assertRaisesRegex(InvalidValue, words):
                settings_from_dict({**good, **change})
        with self.assertRaisesRegex(
            InvalidValue, "hold_choices: this name is not known; did you mean 'hold_choices_s'"
        ):
            capability_from_dict({**capability_data("phone-as-camera"), "hold_choices": [1]})

    def test_what_the_published_schema_refuses_the_program_refuses_and_both_take_the_examples(self):
        from importlib.resources import files

        schema = json.loads((files("guardia") / "data" / "schemas" / "settings-sheet.schema.json").read_text("utf-8"))
        check = Draft202012Validator({"$ref": "#/$defs/settings", "$defs": schema["$defs"]})
        text = (HOME / "docs" / "formats.md").read_text("utf-8")
        examples = [json.loads(e.split("```")[0]) for e in text.split("```json\n")[1:] if '"guardia-settings"' in e]
        whole = json.loads((HOME / "tests" / "core" / "whole_settings.json").read_text("utf-8"))
        refused = tried_ = 0
        for example in (*examples, whole):
            self.assertEqual(list(check.iter_errors(example)), [])
            settings_from_dict(example)
            for path in paths(example):
                for value in (None, True, -7, 1e9, "x", [], {}, {"x": 1}, [True, True], "__gone__", "__new__"):
                    changed = with_change(example, path, value)
                    tried_ += 1
                    if next(iter(check.iter_errors(changed)), None) is not None:
                        refused += 1
                        with self.subTest(path=path, value=value), self.assertRaises(InvalidValue):
                            settings_from_dict(changed)
        self.assertGreater(refused, 1000)
        self.assertGreater(tried_, refused)

    def test_a_time_between_alerts_that_is_not_on_offer_is_named_and_none_always_can_be_had(self):
        make = replace(capability(), alert_interval_choices_s=(30.0, 60.0))
        for seconds, broken in ((0.0, 0), (30.0, 0), (45.0, 1)):
            settings = Settings.of(make.id, "6", alert_interval_s=seconds)
            self.assertEqual(len(limits_broken(Candidate(settings, make))), broken, seconds)

    def test_the_published_schema_is_that_of_the_types_and_every_value_has_one_lever_and_a_place_in_the_docs(self):
        from guardia.tools.schema import PUBLISHED, with_settings

        published = json.loads(PUBLISHED.read_text("utf-8"))
        self.assertEqual(published, with_settings(published), "run python -m guardia.tools.schema")
        text = (HOME / "docs" / "formats.md").read_text("utf-8")
        self.assertEqual(sorted(lever.id for lever in LEVERS), sorted(PART_OF))
        make = capability()
        for lever in LEVERS:
            with self.subTest(lever.id):
                self.assertIn(f"`.{lever.id}`", text)
                for value in lever.options(make, lever.read(Settings.of(make.id, "6"))):
                    self.assertTrue(lever.say(value, make))
                self.assertIn(lever.gate, ("", *(gate.id for gate in GATES)))

    def test_files_of_older_versions_read_as_they_were_meant(self):
        old = {
            "format": "guardia-settings", "version": 1, "capability": "x", "notch": "", "detection_on": False,
            "hold_s": 0.4, "retrigger_wait_s": 5, "clip_length_s": None, "end_early": True, "zones": [],
            "sensitivity": {"contrast": 12, "size": 0.01},
        }  # fmt: skip
        now = Settings.of(
            "x", detection_on=False, hold_s=0.4, rest_s=5.0, stop_when_still=True, sensitivity=Sensitivity(12, 0.005)
        )
        self.assertEqual(settings_from_dict(old), now)
        self.assertEqual(settings_from_dict({**old, "version": 2}), now.with_values(sensitivity=Sensitivity(12, 0.01)))

    def test_what_a_make_cannot_be_told_is_named(self):
        many = tuple(PolygonZone(ZoneKind.IGNORE, TRIANGLE, f"z{n}") for n in range(3))
        told = limits_broken(
            Candidate(
                Settings.of("battery-camera-on-hub", "high", many, hold_s=1.0), capability("battery-camera-on-hub")
            )
        )
        text = " ".join(told)
        for word in (
            "at most 2 zones",
            "'z0'",
            "no ignore zones",
            "minimum duration",
            "pause after a recording",
            "recording length",
        ):
            self.assertIn(word, text)
        self.assertEqual(limits_broken(tried(Settings.of("polygon-mains-camera", "5", many))), [])
        blocks = Settings.of("polygon-mains-camera", "5", (BlockZone(2, 1, (True, False)),), stop_when_still=True)
        self.assertIn("not blocks", limits_broken(tried(blocks))[0])


class Makes(unittest.TestCase):
    def test_every_shipped_make_reads_grows_more_sensitive_and_says_it_is_not_calibrated(self):
        self.assertGreaterEqual(len(shipped_capabilities()), 5)
        for name in shipped_capabilities():
            with self.subTest(name):
                make = capability(name)
                self.assertEqual(make.id, name)
                sizes = [n.size for n in make.notches]
                self.assertEqual(sizes, sorted(sizes, reverse=True))
                self.assertFalse(make.calibrated)

    def test_bad_makes_and_unknown_names_are_told(self):
        data = capability_data("polygon-mains-camera")
        for change in ({"zone_form": "circles"}, {"notches": []}, {"notches": [{"label": "1"}]}, {"hold_choices_s": 3}):
            with self.subTest(change), self.assertRaises(InvalidValue):
                capability_from_dict({**data, **change})
        with self.assertRaisesRegex(InvalidValue, "has no sensitivity '11'"):
            capability().notch("11")
        with self.assertRaisesRegex(ProjectError, "phone-as-camera"):
            capability_data("toaster")
