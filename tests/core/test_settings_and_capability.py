import json
import unittest

from guardia.app.project.makes import capability_data, shipped_capabilities
from guardia.core.base.errors import InvalidValue, ProjectError
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.levers import limits_broken
from guardia.core.make.settings import Settings, settings_from_dict, settings_to_dict
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneKind
from tests.support import capability

TRIANGLE = ((0.1, 0.1), (0.9, 0.1), (0.5, 0.9))


class SettingsFiles(unittest.TestCase):
    def test_settings_survive_their_json_form(self):
        whole = Settings(
            "grid-zone-recorder", "3", (PolygonZone(ZoneKind.WATCH, TRIANGLE, "yard"), BlockZone(2, 1, (True, False))),
            False, 0.6, 2.0, 10.0, 5.0, 20.0, True, (12, 0.01),
        )  # fmt: skip
        self.assertEqual(settings_from_dict(json.loads(json.dumps(settings_to_dict(whole)))), whole)
        self.assertEqual(settings_from_dict(settings_to_dict(Settings("x", "1"))), Settings("x", "1"))

    def test_bad_settings_are_refused_in_words(self):
        good = settings_to_dict(Settings("x", "1"))
        for change, word in (
            ({"format": "other"}, "not a Guardia settings file"),
            ({"version": 3}, "newer Guardia"),
            ({"hold_s": "soon"}, "cannot be read"),
            ({"hold_s": -1}, "between 0 and"),
            ({"hold_s": float("nan")}, "between 0 and"),
            ({"clip_length_s": 0.2}, "at least 1 second"),
            ({"detection_on": "no"}, "true or false"),
            ({"zones": 3}, "cannot be read"),
            ({"sensitivity": {"contrast": 9, "size": 0.1}}, "contrast must be one of"),
            ({"sensitivity": [12, 0.1]}, "cannot be read"),
        ):
            with self.subTest(change), self.assertRaisesRegex(InvalidValue, word):
                settings_from_dict({**good, **change})

    def test_what_a_make_cannot_be_told_is_named(self):
        many = tuple(PolygonZone(ZoneKind.IGNORE, TRIANGLE, f"z{n}") for n in range(3))
        told = limits_broken(
            Settings("battery-camera-on-hub", "high", many, hold_s=1.0), capability("battery-camera-on-hub")
        )
        text = " ".join(told)
        for word in ("at most 2 zones", "'z0'", "no ignore zones", "hold time", "re-trigger wait", "clip length"):
            self.assertIn(word, text)
        self.assertEqual(limits_broken(Settings("polygon-mains-camera", "5", many), capability()), [])
        blocks = Settings("polygon-mains-camera", "5", (BlockZone(2, 1, (True, False)),), end_early=True)
        self.assertIn("not blocks", limits_broken(blocks, capability())[0])


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
