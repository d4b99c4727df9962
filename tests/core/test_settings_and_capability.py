import json
import unittest

from guardia.app.project.makes import capability_data, shipped_capabilities
from guardia.core.base.errors import InvalidValue, ProjectError
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.levers import limits_broken
from guardia.core.make.settings import Sensitivity, Settings, settings_from_dict, settings_to_dict
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneKind
from tests.support import capability, tried

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
            ({"version": 7}, "newer Guardia"),
            ({"detection": 3}, "detection: Input should be an object"),
            ({"detection": {"hold_s": "soon"}}, "detection.hold_s: Input should be a valid number"),
            ({"detection": {"hold_s": -1}}, "between 0 and"),
            ({"recording": {"rest_s": float("nan")}}, "between 0 and"),
            ({"recording": {"length_s": 0.2}}, "at least 1 second"),
            ({"detection": {"detection_on": "no"}}, "detection_on: Input should be a valid boolean"),
            ({"detection": {"zones": 3}}, "zones: Input should be a valid"),
            ({"detection": {"zones": [3]}}, "A zone cannot be read"),
            ({"detection": {"sensitivity": {"contrast": 9, "size": 0.1}}}, "contrast must be one of"),
            ({"detection": {"sensitivity": {"contrast": 12}}}, "sensitivity.*cannot be read|cannot be read.*size"),
        ):
            with self.subTest(change), self.assertRaisesRegex(InvalidValue, word):
                settings_from_dict({**good, **change})

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
