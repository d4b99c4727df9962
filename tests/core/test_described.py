"""Makes described by what their menus show, and settings of which nobody said everything."""

import json
import math
import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from guardia.app.camera.makes import capability_data, make_words, unsaid_settings
from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.epochs import Epoch
from guardia.core.make.capability import Extra, capability_from_dict, why_unusable
from guardia.core.make.convert_settings import settings_for
from guardia.core.make.convert_zones import convert
from guardia.core.make.described import Menus, ScaleShown, ZonesDrawn, ZoneUse, assumed_words, level_names, make_of
from guardia.core.make.settings import Settings, settings_from_dict, settings_to_dict, zone_limits_broken
from guardia.core.make.zones import PolygonZone, ZoneKind, zone_cells
from guardia.core.score.candidates import Scorer
from guardia.core.storage.rules import Quality, RecordingMode
from guardia.core.storage.stores import StoreKind
from guardia.core.trace.measure import GRID
from guardia.core.tuning.search import tried_levels
from guardia.report.sheet import changes_of, steps
from tests.support import blob_trace, capability, evidence_of, tried

MAKE = "polygon-mains-camera"
ZONE = PolygonZone(ZoneKind.WATCH, ((0.2, 0.2), (0.8, 0.2), (0.8, 0.9), (0.2, 0.9)), "yard")
maybe = st.none() | st.booleans()
times = st.none() | st.lists(st.sampled_from((0.0, 1.0, 5.0, 30.0)), min_size=1, max_size=3).map(tuple)
MENUS = st.builds(
    Menus, name=st.text(min_size=1, max_size=12), zones=st.none() | st.sampled_from(ZonesDrawn),
    blocks=st.tuples(st.integers(1, 64), st.integers(1, 64)), max_zones=st.none() | st.integers(1, 8),
    max_corners=st.none() | st.integers(4, 12), zone_use=st.none() | st.sampled_from(ZoneUse), zone_level=maybe,
    zone_classes=maybe, zone_alerts=maybe, scale=st.none() | st.sampled_from(ScaleShown),
    steps=st.lists(st.text(max_size=4), max_size=5).map(tuple),
    numbers=st.tuples(st.integers(0, 120), st.integers(0, 120)), second_slider=maybe, night_level=maybe,
    classes=st.none() | st.sampled_from(((), ("person",), ("person", "vehicle"))), hold_s=times, rest_s=times,
    range_m=st.none() | st.tuples(st.integers(1, 99), st.integers(1, 99)), masks=st.none() | st.integers(0, 9),
    stop_when_still=maybe, snapshot_s=times, second_mbit_s=st.none() | st.floats(0, 20),
    length_s=times, pre_record_s=times, alert_interval_s=times, periods_a_day=st.none() | st.integers(0, 48),
    targets=st.none() | st.just((StoreKind.HUB,)), modes=st.none() | st.just(tuple(RecordingMode)),
    qualities=st.none() | st.just((Quality("best", 1920, 1080, 15.0),)), battery=maybe, mobile=maybe,
    extras=st.just(()) | st.just((Extra("siren", ("off", "on")),)),
)  # fmt: skip


class Described(unittest.TestCase):
    @settings(max_examples=100, deadline=None)
    @given(MENUS)
    def test_whatever_is_answered_is_a_make_that_can_be_used_or_refused_in_words(self, menus):
        try:
            data = make_of(menus)
        except InvalidValue as error:
            self.assertGreater(len(str(error)), 20)
            return
        make = capability_from_dict(json.loads(json.dumps(data)))
        self.assertEqual(why_unusable(make), "")
        unsaid = unsaid_settings(make)
        self.assertEqual(settings_from_dict(json.loads(json.dumps(settings_to_dict(unsaid)))), unsaid)
        self.assertTrue(steps(unsaid, make) and make_words(make))

    def test_thresholds_follow_the_place_on_the_scale_whatever_its_words(self):
        three = make_of(Menus("a", scale=ScaleShown.STEPS, steps=("low", "medium", "high")))["notches"]
        generic = capability_data("phone-as-camera")["notches"]
        self.assertEqual([n["size"] for n in three], [n["size"] for n in generic])
        backwards = make_of(Menus("a", scale=ScaleShown.NUMBERS, numbers=(5, 1)))["notches"]
        self.assertEqual([n["label"] for n in backwards], ["5", "4", "3", "2", "1"])
        self.assertEqual((backwards[0]["size"], backwards[-1]["size"]), (three[0]["size"], three[-1]["size"]))
        self.assertEqual(level_names(Menus("a"))[::5], ("0 %", "50 %", "100 %"))
        wide, wider = (make_of(Menus("a", second_slider=second))["notches"][5] for second in (False, True))
        self.assertGreater(wider["size_high"] / wider["size_low"], wide["size_high"] / wide["size_low"])

    def test_of_a_long_scale_some_levels_are_tried_and_those_beside_the_present_one(self):
        long = capability_from_dict(make_of(Menus("a", scale=ScaleShown.NUMBERS, numbers=(0, 100))))
        tried_ = tried_levels(long, "62")
        self.assertLess(len(tried_), 20)
        self.assertTrue({"0", "60", "61", "62", "63", "64", "100"} <= {*tried_})
        self.assertEqual(tried_levels(capability(), "6"), tuple(n.label for n in capability().notches))

    def test_what_contradicts_itself_is_said(self):
        steps_ = ScaleShown.STEPS
        for menus, words in (
            (Menus("!?"), "needs a name"),
            (Menus("a", scale=steps_, steps=("high", "high")), "Two levels are called 'high'"),
            (Menus("a", scale=steps_, steps=("high",)), "two levels or more"),
            (Menus("a", scale=ScaleShown.NUMBERS, numbers=(0, 200)), "at most 101 numbers"),
        ):
            with self.subTest(words), self.assertRaisesRegex(InvalidValue, words):
                make_of(menus)
        make = capability("phone-as-camera")
        low, medium, high = make.notches
        for other, words in (
            (replace(make, notches=(high, medium, low)), "from the least to the most sensitive"),
            (replace(make, notches=(low, replace(low, label="same"))), "would be one level"),
            (replace(make, rest_choices_s=()), "nothing to choose for: pause"),
        ):
            self.assertIn(words, why_unusable(other))
        self.assertEqual(why_unusable(make), "")

    def test_an_answer_to_a_question_that_no_longer_applies_counts_for_nothing(self):
        squares = capability_from_dict(
            make_of(Menus("a", zones=ZonesDrawn.BLOCKS, zone_use=ZoneUse.IGNORE, max_zones=9))
        )
        self.assertEqual((squares.watch_zones, squares.ignore_zones, squares.max_zones), (True, False, 1))

    def test_what_nobody_knew_is_said_to_be_assumed(self):
        self.assertIn("its scale", assumed_words(capability_from_dict(make_of(Menus("a")))))
        some = make_of(Menus("a", zones=ZonesDrawn.NONE, scale=ScaleShown.SLIDER, rest_s=(0.0,)))["assumed"]
        every = make_of(
            Menus("a", classes=("person",), range_m=(12, 8), masks=4, stop_when_still=True, snapshot_s=(60.0,),
                  second_mbit_s=0.5)
        )  # fmt: skip
        make = capability_from_dict(every)
        self.assertEqual((make.class_range_m, make.privacy_masks, make.stop_when_still), ((12, 8), 4, True))
        self.assertEqual((make.storage.snapshot_choices_s, make.storage.second_mbit_s), ((0.0, 60.0), 0.5))
        for known in ("how far its filter sees", "privacy masks", "snapshots", "second stream"):
            self.assertNotIn(known, every["assumed"])
            self.assertIn(known, make_of(Menus("a", classes=("person",)))["assumed"])
        for known in ("form of its zones", "number of zones", "its scale", "pauses", "charge"):
            self.assertNotIn(known, some)

    def test_a_make_that_only_leaves_out_gets_the_rest_of_the_picture_to_leave_out(self):
        make = capability_from_dict(
            make_of(Menus("a", zones=ZonesDrawn.RECTANGLES, zone_use=ZoneUse.IGNORE, max_zones=4))
        )
        left_out = convert((ZONE,), make, grid=GRID, tries=400)
        self.assertEqual(zone_limits_broken(Settings.of("a", zones=left_out), make), [])
        self.assertEqual({z.kind for z in left_out}, {ZoneKind.IGNORE})
        wanted, got = (zone_cells(zones, grid=GRID) for zones in ((ZONE,), left_out))
        self.assertGreater((wanted & got).sum() / (wanted | got).sum(), 0.9)
        self.assertIn("only zones to leave out", zone_limits_broken(Settings.of("a", zones=(ZONE,)), make)[0])


class NotKnown(unittest.TestCase):
    def test_a_value_that_is_set_is_known_even_where_it_is_the_same(self):
        unsaid = unsaid_settings(capability())
        said = unsaid.with_values(notch=unsaid.detection.notch)
        self.assertIn("notch", unsaid.not_known)
        self.assertNotIn("notch", said.not_known)
        self.assertEqual(changes_of(unsaid, said, capability())[0].partition("(was ")[2], "not known)")
        self.assertIn("Sensitivity: not known (scale", "\n".join(steps(unsaid, capability())))
        self.assertIn("Zones: not known", steps(unsaid, capability()))
        drawn = changes_of(unsaid, unsaid.with_values(zones=(ZONE,)), capability())
        self.assertIn("(was not known)", drawn[0])
        self.assertFalse(unsaid.says_what_triggers)
        with self.assertRaisesRegex(InvalidValue, "no setting"):
            replace(unsaid, not_known=("colour",))

    def test_another_make_does_not_make_it_known(self):
        other = capability("rectangle-mains-camera")
        self.assertEqual(
            settings_for(other, unsaid_settings(capability()), capability()).not_known,
            unsaid_settings(capability()).not_known,
        )

    def test_what_was_recorded_is_a_fact_and_a_draft_is_judged_by_any_setting_of_then(self):
        traces = [blob_trace([size] * 20) for size in (2, 3, 9, 9)]
        unsaid = unsaid_settings(capability()).with_values(zones=())
        evidence = replace(
            evidence_of(traces, kinds=("person", "foliage") * 2), epochs=(Epoch(-math.inf, math.inf, unsaid),)
        )
        self.assertIsNone(evidence.settings_of(evidence.clips[0]))

        def compared(draft):
            return Scorer().compare(evidence, tried(unsaid), tried(draft))

        installed = compared(unsaid).installed
        self.assertEqual((len(installed.real_recorded), len(installed.false_recorded)), (2, 2))
        for same in (unsaid, unsaid.with_values(status_light="off"), unsaid.with_values(quality="")):
            self.assertEqual(compared(same).changes, ())
        known = replace(evidence, epochs=(Epoch(-math.inf, math.inf, Settings.of(MAKE, "10")),))
        draft = Settings.of(MAKE, "3")
        by_any = Scorer().compare(evidence, tried(unsaid), tried(draft)).draft
        by_the_keenest = Scorer().compare(known, tried(Settings.of(MAKE, "10")), tried(draft)).draft
        # Whoever may have had it at level 3 before loses nothing by it; from level 10 more falls below.
        self.assertGreater(by_the_keenest.missed.mean, by_any.missed.mean)


if __name__ == "__main__":
    unittest.main()
