"""What a camera is for, met or not: each line against counts made by hand."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.required import required_of
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.candidate import Candidate
from guardia.core.prove.next_action import trouble
from guardia.core.purpose.patterns import PATTERNS, REAL_KINDS, begun, purpose_for
from guardia.core.purpose.purpose import (
    MOST_DAYS,
    UNSAID,
    Purpose,
    Wanted,
    changed_words,
    purpose_from_dict,
    purpose_to_dict,
)
from guardia.core.replay.anchored import anchored
from guardia.core.score.met import Met, met_lines, met_words
from guardia.core.score.score import score
from guardia.core.storage.known import StorageKnown
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.stores import Fitted, Store, StoreKind
from guardia.core.view.geometry import ViewGeometry
from tests.support import blob_trace, capability, evidence_of, plain, tried

DAY, HOUR = 86400.0, 3600.0
BEGIN = 1_757_203_200.0  # Sunday 7 September 2025, 00:00 UTC, 01:00 in London
NIGHT = WeekPlan((Stretch(EVERY_DAY, Edge(21 * 60), Edge(6 * 60), overnight=True),))
LEFT, RIGHT = ((0.0, 0.0), (0.5, 0.0), (0.5, 1.0), (0.0, 1.0)), ((0.5, 0.0), (1.0, 0.0), (1.0, 1.0), (0.5, 1.0))


def two_days(purpose, *, origin=Origin.MOTION, columns=(0, 0, 24, 24), **values):
    """A person and leaves at noon, a person and leaves at night, on two days; the nights at the right."""
    hours = (11 * HOUR, 12 * HOUR, 22 * HOUR, 23 * HOUR)
    evidence = evidence_of(
        [blob_trace([9] * 20, column=c) for c in columns] * 2, kinds=["person", "foliage"] * 4, origin=origin,
        installed=plain(4, **values), starts=[BEGIN + d * DAY + h for d in (0, 1) for h in hours],
        watched=[(BEGIN, BEGIN + 2 * DAY)],
    )  # fmt: skip
    return replace(evidence, purpose=purpose)


def lines(evidence, settings=None):
    done = anchored(evidence, tried(settings or evidence.epochs[-1].settings))
    return {line.id: line for line in met_lines(evidence, done)}


class Values(unittest.TestCase):
    def test_every_pattern_comes_back_from_its_form_and_fits_every_make(self):
        for pattern in PATTERNS:
            for make in (capability(), capability("battery-camera-on-hub"), capability("polygon-solar-camera")):
                purpose = begun(pattern, make)
                self.assertEqual(purpose_from_dict(purpose_to_dict(purpose)), purpose)
                for other in ({"format": "something else"}, {"version": 99}):
                    with self.assertRaisesRegex(InvalidValue, "not a purpose"):
                        purpose_from_dict(purpose_to_dict(purpose) | other)
                self.assertEqual(purpose.charge_days is not None, make.storage.power is not None)
                self.assertEqual(purpose.data, make.storage.mobile)

    @given(st.floats(allow_nan=True), st.sampled_from(("before_s", "px_m", "false_alerts", "keep_days", "charge_days")))
    def test_a_number_that_cannot_be_asked_is_refused_in_words(self, value, name):
        try:
            self.assertTrue(0 <= getattr(Purpose(**{name: value}), name) <= MOST_DAYS)
        except InvalidValue as error:
            self.assertIn("stays", str(error))

    def test_what_contradicts_itself_or_has_no_shape_is_refused(self):
        for values in (
            {"keep_days": 30.0, "gone_days": 7.0}, {"area": ((0.1, 0.1), (0.9, 0.9), (0.9, 0.1), (0.1, 0.9))},
            {"area": ((0.1, 0.1), (0.9, 0.9))}, {"area": ((0.1, 0.1), (2.0, 0.9), (0.4, 0.2))},
        ):  # fmt: skip
            with self.assertRaises(InvalidValue):
                Purpose(**values)
        with self.assertRaises(InvalidValue):
            Wanted(("foliage",))

    def test_copied_to_another_make_it_keeps_what_is_not_the_camera_s_own(self):
        asked = Purpose(record=Wanted(("person",), in_part=True), area=LEFT, charge_days=90, data=True, px_m=62.5)
        other = purpose_for(asked, capability())
        self.assertEqual((other.area, other.record.in_part, other.charge_days, other.data), ((), False, None, False))
        self.assertEqual((other.record.kinds, other.px_m), (("person",), 62.5))
        self.assertEqual(changed_words(asked, replace(asked, px_m=1.0)), "change what it is for (pixels a metre)")


class Asked(unittest.TestCase):
    def test_kinds_hours_and_the_part_of_the_picture_say_what_is_asked(self):
        for wanted, area, expected in (
            (Wanted(("person",)), (), 4), (Wanted(("vehicle",)), (), 0), (Wanted(("person",), NIGHT), (), 2),
            (Wanted(("person",), in_part=True), LEFT, 2), (Wanted(("person",), NIGHT, in_part=True), LEFT, 0),
            (Wanted(("person",), NIGHT, in_part=True), RIGHT, 2), (Wanted(("person",)), LEFT, 4),
        ):  # fmt: skip
            required = required_of(two_days(Purpose(record=wanted, area=area)))
            self.assertEqual(int(required.recorded.sum()), expected, wanted)
        unsaid = required_of(two_days(None))
        self.assertEqual((int(unsaid.recorded.sum()), int(unsaid.alerted.sum())), (4, 4))
        self.assertEqual(UNSAID.record.kinds, REAL_KINDS)

    def test_hours_that_follow_a_sun_nobody_can_tell_leave_nothing_out(self):
        at_night = next(p for p in PATTERNS if p.id == "yard at night").purpose
        self.assertEqual(int(required_of(two_days(at_night)).alerted.sum()), 4)
        placed = replace(two_days(at_night), coordinates=(51.5, 0.0))
        self.assertEqual(int(required_of(placed).alerted.sum()), 2)


class Lines(unittest.TestCase):
    def test_nothing_asked_has_no_lines_and_what_is_not_known_says_so(self):
        self.assertEqual(lines(two_days(None)), {})
        asked = Purpose(record=Wanted(("vehicle",)), px_m=50, within_s=20, alert=Wanted(("vehicle",)), keep_days=7)
        found = lines(two_days(asked))
        self.assertEqual({line.met for line in found.values()}, {Met.UNKNOWN})
        self.assertEqual(list(found), ["record", "px_m", "alert", "within_s", "keep_days"])

    def test_what_is_not_recorded_names_its_gate_and_motion_clips_alone_prove_nothing(self):
        asked = Purpose(record=Wanted(("person",)))
        on_clips = lines(two_days(asked))["record"]
        self.assertEqual((on_clips.met, len(on_clips.ids)), (Met.UNKNOWN, 4))
        self.assertIn("Motion clips alone", on_clips.why[0])
        footage = [Origin.CONTINUOUS] * 8
        self.assertEqual(lines(two_days(asked, origin=footage))["record"].met, Met.YES)
        missed = lines(two_days(asked, origin=footage), plain(12))["record"]
        self.assertEqual((missed.met, missed.found, missed.ids), (Met.NO, "4 of 4 not recorded", (100, 102, 104, 106)))
        self.assertIn("size", missed.why[0])

    def test_recordings_must_begin_early_and_end_late_enough(self):
        asked = Purpose(record=Wanted(("person",)), before_s=2, after_s=3)
        footage = [Origin.CONTINUOUS] * 8
        for pre, length, met in ((3.0, 20.0, Met.YES), (0.0, 20.0, Met.NO), (3.0, 4.0, Met.NO)):
            settings = plain(4, pre_record_s=pre, length_s=length)
            self.assertEqual(lines(two_days(asked, origin=footage), settings)["before_s"].met, met, (pre, length))

    def test_alerts_within_their_hours_their_time_and_their_number(self):
        asked = Purpose(alert=Wanted(("person",), NIGHT), within_s=10, false_alerts=1.5)
        evidence = two_days(asked)
        found = lines(evidence)
        self.assertEqual((found["alert"].met, found["within_s"].met), (Met.UNKNOWN, Met.UNKNOWN), "no alert was tested")
        self.assertEqual((found["false_alerts"].met, len(found["false_alerts"].ids)), (Met.NO, 4))
        self.assertIn("2.0 false alerts a day, at most 1.5", found["false_alerts"].found)
        self.assertIn("2 alerts to real ones nobody asked to hear of", " ".join(found["false_alerts"].why))
        at_night = lines(evidence, plain(4, alert_plan=NIGHT))
        self.assertEqual(at_night["false_alerts"].found, "1.0 false alerts a day, at most 1.5")
        self.assertEqual(lines(evidence, plain(4, alerts_on=False))["alert"].found, "nobody alerted to 2 of 2")
        for came, expected in (((6.0,), Met.YES), ((6.0, 12.0), Met.NO), ((6.0, None), Met.YES)):
            readings = tuple(Reading(BEGIN + n, Measure.ALERT_DELAY, value) for n, value in enumerate(came))
            tested = lines(replace(evidence, storage=StorageKnown(readings=readings)))
            self.assertEqual(tested["within_s"].met, expected, came)
            self.assertEqual(tested["alert"].met, Met.NO if came[-1] is None else Met.YES)

    def test_the_far_end_of_the_part_must_show_enough_pixels(self):
        ground = ((0.3, 0.7), (0.7, 0.7), (0.7, 0.9), (0.3, 0.9))
        view = ViewGeometry(3.0, 20.0, 0.8)
        evidence = two_days(Purpose(record=Wanted(("person",)), px_m=100, area=ground))
        self.assertIn("Calibrate", lines(evidence)["px_m"].why[0])
        wide = replace(evidence, view=view, clips=tuple(replace(c, width_px=640) for c in evidence.clips))
        far_m = float(view.to_ground(np.array([(0.5, 0.7)]))[0, 1])
        density = view.density(far_m, capability().storage.qualities[0].width)
        for asked, met in ((density - 1, Met.YES), (density + 1, Met.NO)):
            found = lines(replace(wide, purpose=replace(wide.purpose, px_m=asked)))["px_m"]
            self.assertEqual(found.met, met)
            self.assertIn(f"{density:.0f} px/m", found.found)
        above = replace(wide, view=ViewGeometry(3.0, 5.0, 0.8), purpose=replace(wide.purpose, area=LEFT))
        self.assertIn("horizon", lines(above)["px_m"].why[0])

    def test_days_asked_of_a_camera_go_before_those_of_its_site(self):
        card = Fitted(1, Store("Card", StoreKind.CARD, 64.0))
        storage = StorageKnown(
            (card,), {"recorded": 3600.0, "rate_light": 4.0, "rate_dark": 4.0}, {"required_days": 5.0}
        )
        evidence = replace(two_days(Purpose(keep_days=30, gone_days=31)), storage=storage)
        days = anchored(evidence, tried(plain(4))).keeping.days.value
        self.assertGreater(days, 31)
        found = lines(evidence)
        self.assertEqual((found["keep_days"].met, found["gone_days"].met), (Met.YES, Met.NO))
        self.assertIn("'Card' keeps", found["gone_days"].found)
        more = replace(evidence, purpose=Purpose(keep_days=round(days) + 10))
        self.assertEqual(lines(more)["keep_days"].met, Met.NO)
        never = lines(evidence, plain(4, overwrite=False))
        self.assertEqual((never["keep_days"].met, never["gone_days"].found[:20]), (Met.NO, "'Card' never deletes"[:20]))

    def test_a_camera_s_place_in_the_round_goes_by_what_is_not_met(self):
        asked = Purpose(record=Wanted(("person",)), alert=Wanted(("person",)), false_alerts=1, keep_days=7)
        evidence = two_days(asked, origin=[Origin.CONTINUOUS] * 8)
        for settings in (plain(4), plain(12), plain(4, alerts_on=False)):
            done = anchored(evidence, Candidate(settings, capability()))
            found, counts = met_lines(evidence, done), score(evidence, done)
            unmet = [line for line in found if line.met is Met.NO]
            missed = {i for line in unmet if line.id in ("record", "alert") for i in line.ids}
            self.assertEqual(trouble(counts, found)[0] // 5, len(missed))
            self.assertIn(f"{sum(line.met is Met.YES for line in found)} of {len(found)} met", met_words(found))
