"""Who is alerted, and what lies on the store though motion does not mark it: counts and flips by hand."""

import unittest
from dataclasses import replace
from datetime import datetime, timedelta
from importlib.resources import files
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from guardia.benchcam.camera import Decider
from guardia.core.evidence.clips import Cause, Clip, Occurrence, Origin
from guardia.core.evidence.events import CameraEvent
from guardia.core.hours.modes import Mode
from guardia.core.hours.plan import ALWAYS, EVERY_DAY, Edge, Special, Stretch, WeekPlan, on_at, with_specials
from guardia.core.make.candidate import Candidate
from guardia.core.make.convert_zones import known_notches
from guardia.core.make.levers import limits_broken
from guardia.core.make.zones import PolygonZone, ZoneDoes, ZoneKind, zone_from_dict, zone_to_dict
from guardia.core.replay.always import always_written
from guardia.core.replay.anchored import anchored
from guardia.core.replay.gate import Stage
from guardia.core.replay.gates import ALERT_LISTED, ALERT_ONLY, ALERT_ZONE
from guardia.core.replay.replay import replay
from guardia.core.replay.writing import volume_of
from guardia.core.score.alerts import alert_score, other_alerts, switchable_causes
from guardia.core.score.candidates import Scorer
from guardia.core.score.score import Flip
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.rules import RecordingMode
from guardia.core.trace.stack import TraceStack
from guardia.core.tuning.cures import usual_cures
from tests.support import blob_trace, capability, evidence_of, plain, tried

DAY, HOUR = 86400.0, 3600.0
BEGIN = 1_757_203_200.0  # Sunday 7 September 2025, 00:00 UTC, 01:00 in London
MAKES = {p.name.removesuffix(".json") for p in files("guardia").joinpath("data", "capabilities").iterdir()}
NIGHT = WeekPlan((Stretch(EVERY_DAY, Edge(21 * 60), Edge(6 * 60), overnight=True),))
AT_NIGHT, AT_NOON = 23 * HOUR, 11 * HOUR


def week(**values):
    """A person and leaves by day and by night, two days, recorded by motion."""
    hours = (AT_NOON, AT_NOON + HOUR, AT_NIGHT - 2 * HOUR, AT_NIGHT - HOUR)
    return evidence_of(
        [blob_trace([9] * 20)] * 8, kinds=["person", "foliage"] * 4, installed=plain(4, **values),
        starts=[BEGIN + d * DAY + h for d in (0, 1) for h in hours], watched=[(BEGIN, BEGIN + 2 * DAY)],
    )  # fmt: skip


def compared(evidence, old, new):
    return Scorer().compare(evidence, tried(old), tried(new))


class Alerts(unittest.TestCase):
    def test_alert_hours_cost_alerts_and_no_recording(self):
        both = compared(week(), plain(4), plain(4, alert_plan=NIGHT))
        old, new = both.installed, both.draft
        self.assertEqual((len(old.not_alerted), len(old.false_alerted), old.false_alerts_per_day), (0, 4, 2.0))
        self.assertEqual((len(new.not_alerted), len(new.false_alerted), new.false_alerts_per_day), (2, 2, 1.0))
        self.assertEqual((new.real_missed, new.false_per_day), ((), 2.0))
        flips = [(c.flip, c.certainty) for c in both.changes]
        self.assertEqual(flips, [(Flip.NEWLY_UNALERTED, "surely")] * 2 + [(Flip.FALSE_ALERT_GONE, "surely")] * 2)
        self.assertIn("outside the alert hours", both.changes[0].reason)

    def test_own_people_need_no_alert(self):
        evidence = week()
        theirs = [replace(o, kind="expected") if o.kind == "person" else o for o in evidence.occurrences]
        score = compared(evidence.with_occurrences(theirs), plain(4), plain(4, alerts_on=False)).draft
        self.assertEqual((score.real, score.not_alerted, score.false_alerts_per_day), (4, (), 0.0))

    def test_a_missed_one_is_missed_first_and_named_once(self):
        both = compared(week(), plain(4), plain(30))
        self.assertEqual([c.flip for c in both.changes], [Flip.NEWLY_MISSED] * 4 + [Flip.NEWLY_SILENCED] * 4)
        self.assertEqual(len(both.draft.not_alerted), 4)
        self.assertAlmostEqual(both.draft.unalerted.mean, 4.0, delta=0.2)

    def test_what_the_camera_s_list_says_of_its_alerts_goes_before_the_settings(self):
        evidence = week()
        events = tuple(
            CameraEvent(evidence.span_s(o)[0], 4.0, alert=n != 0) for n, o in enumerate(evidence.occurrences)
        )
        listed = replace(evidence, events=events)
        both = compared(listed, plain(4), plain(4))
        self.assertEqual((both.changes, len(both.installed.not_alerted)), ((), 1))
        for beside in ({"causes_off": ("sound",)}, {"status_light": "off"}):
            other = compared(listed, plain(4), plain(4, **beside))
            self.assertEqual((other.changes, len(other.draft.not_alerted)), ((), 1), beside)
        outcome = both.installed_replay.outcomes[evidence.occurrences[0].id]
        self.assertIs(outcome.closed[Stage.ALERTED], ALERT_LISTED)
        # Other alert settings decide for themselves: the list says nothing of them.
        self.assertEqual(compared(listed, plain(4), plain(4, alert_interval_s=30.0)).draft.not_alerted, ())
        sent = tuple(replace(e, alert=True) for e in events)
        all_sent = replace(listed, epochs=week(alert_plan=NIGHT).epochs, events=sent)
        self.assertEqual(compared(all_sent, *[plain(4, alert_plan=NIGHT)] * 2).installed.not_alerted, ())

    def test_alerts_by_sound_and_button_are_counted_by_their_own_judgement(self):
        evidence = week()
        moments = (BEGIN + 5 * HOUR, BEGIN + 6 * HOUR)
        clips = [Clip(50 + n, f"s{n}.mp4", at, 4.0, Origin.MOTION, cause=Cause.SOUND) for n, at in enumerate(moments)]
        traces = [blob_trace([0, 9, 0])] * 2 + [blob_trace([9] * 20)] * 8
        heard = Occurrence(500, 50, 0.0, 0.4, "animal")
        events = (
            *(CameraEvent(at, 4.0, alert=True, cause="sound") for at in moments),
            CameraEvent(BEGIN + 7 * HOUR, 4.0, alert=False, cause="button"),
        )
        more = replace(evidence, clips=(*clips, *evidence.clips), stack=TraceStack(traces), events=events,
                       occurrences=(heard, *evidence.occurrences))  # fmt: skip
        both = compared(more, plain(4), plain(4, alerts_on=False))
        told = other_alerts(more, both.installed_replay)
        self.assertEqual([(a.cause, a.verdict) for a in told], [("sound", "false"), ("sound", None)])
        self.assertEqual((both.installed.false_alerts_per_day, both.draft.false_alerts_per_day), (2.5, 0.0))
        self.assertEqual(switchable_causes(more, capability()), ("sound",))

        # The switch of its cause ends these alerts, a real one with them, and what is stored of it.
        off = compared(more, plain(4), plain(4, causes_off=("sound",)))
        self.assertEqual(off.draft.false_alerts_per_day, 2.0)
        self.assertEqual(other_alerts(more, off.draft_replay), [])
        self.assertFalse(any("real alert" in line for line in off.limits))
        rang = replace(more, occurrences=(replace(heard, kind="person"), *evidence.occurrences))
        off = compared(rang, plain(4), plain(4, causes_off=("sound",)))
        self.assertIn("1 real alert by sound would no longer come under this draft.", off.limits)
        told = [alert_score(rang, done).real_told for done in (off.installed_replay, off.draft_replay)]
        self.assertEqual(told[0] - told[1], 1)
        self.assertGreater(volume_of(off.installed_replay).value, volume_of(off.draft_replay).value)
        remedy = next(c for c in usual_cures(rang, off.installed_replay.candidate, ()) if c.remedy.words == "sound off")
        self.assertEqual((remedy.lost, remedy.alerts.real_told), (0, told[1]))

    def test_what_is_not_known_of_the_way_to_the_phone_is_said(self):
        evidence = week()
        limits = compared(evidence, plain(4), plain(4)).limits
        self.assertTrue(any("no test shows yet that they reach a phone" in line for line in limits))
        never = Reading(BEGIN, Measure.ALERT_DELAY, None)
        tested = replace(evidence, storage=replace(evidence.storage, readings=(never,)))
        self.assertTrue(any("never came" in line for line in compared(tested, plain(4), plain(4)).limits))


def corner(does, *, classes=(), left=0.0):
    points = ((left, 0.0), (left + 0.25, 0.0), (left + 0.25, 1.0), (left, 1.0))
    return PolygonZone(ZoneKind.WATCH, points, f"zone {left}", does=does, classes=classes)


class ZonesOfTheirOwnKind(unittest.TestCase):
    """Something at the left, something at the right, of each a person and an animal; counted by hand."""

    def compared(self, *zones):
        traces = [blob_trace([0, *[9] * 10, 0], column=column) for column in (0, 0, 24, 24)]
        evidence = evidence_of(traces, kinds=["person", "animal"] * 2, starts=[BEGIN + n * HOUR for n in range(4)],
                               watched=[(BEGIN, BEGIN + DAY)])  # fmt: skip
        done = replay(evidence, Candidate(plain(4, zones=zones), capability("rectangle-mains-camera")))
        return done.recorded.tolist(), done.told.tolist(), done

    def test_records_without_an_alert_and_alerts_without_recording(self):
        zones = corner(ZoneDoes.RECORDS), corner(ZoneDoes.ALERTS, left=0.75)
        recorded, told, done = self.compared(*zones)
        self.assertEqual(recorded, [True, True, False, False])
        self.assertEqual(told, [False, False, True, True])
        outcomes = [done.outcomes[o.id] for o in done.evidence.occurrences]
        self.assertIs(outcomes[0].alert_gate, ALERT_ZONE)
        self.assertIs(outcomes[2].gate, ALERT_ONLY)
        self.assertEqual(self.compared(*(replace(z, does=ZoneDoes.BOTH) for z in zones))[:2], ([True] * 4,) * 2)
        held = replay(done.evidence, done.candidate.with_values(hold_s=3.0))
        self.assertEqual(held.told.tolist(), [False] * 4, "not long enough there")

    def test_how_likely_a_zone_that_only_alerts_does_so_is_as_unsure_as_the_camera_s_scale(self):
        sizes = (3, 5, 7, 9, 14)
        traces = [blob_trace([0, *[size] * 10, 0], column=26) for size in sizes]
        evidence = evidence_of(traces, kinds=["person"] * 5, starts=[BEGIN + n * HOUR for n in range(5)],
                               installed=None, watched=[(BEGIN, BEGIN + DAY)])  # fmt: skip
        make = capability("rectangle-mains-camera")
        both, only, never = (
            anchored(evidence, Candidate(plain(4, zones=(corner(does, left=0.75),)), make)).alert_chances.mean(axis=0)
            for does in (ZoneDoes.BOTH, ZoneDoes.ALERTS, ZoneDoes.RECORDS)
        )
        np.testing.assert_allclose(only, both)
        self.assertTrue(any(0.1 < chance < 0.9 for chance in only), only)
        self.assertEqual(never.max(), 0.0)

    def test_a_zone_for_a_class_holds_for_nothing_else(self):
        recorded, told, _ = self.compared(corner(ZoneDoes.BOTH, classes=("person",)), corner(ZoneDoes.BOTH, left=0.75))
        self.assertEqual((recorded, told), ([True, False, True, True],) * 2)

    def test_the_bench_camera_decides_the_same_by_its_own_code(self):
        zones = corner(ZoneDoes.RECORDS), corner(ZoneDoes.ALERTS, left=0.75)
        make = capability("rectangle-mains-camera")
        for place, wanted in ((0, (True, False)), (24, (False, True))):
            pictures = [np.full((360, 640, 3), 90, np.uint8) for _ in range(8)]
            for picture in pictures[2:]:
                picture[0:180, place * 20 : place * 20 + 60] = 200
            chosen = plain(4, zones=zones)
            deciders = [Decider(chosen, make, alerting=alerting) for alerting in (False, True)]
            said = tuple(any(d.triggered(p, n / 5) for n, p in enumerate(pictures)) for d in deciders)
            self.assertEqual(said, wanted)
            # For a class: by what it believes to see, whatever else moves there.
            for_people = tuple(replace(zone, classes=("person",)) for zone in zones)
            for seen in ("person", "vehicle", ""):
                decider = Decider(plain(4, zones=for_people), make, sees=lambda _at, seen=seen: seen)
                said = any(decider.triggered(p, n / 5) for n, p in enumerate(pictures))
                self.assertEqual(said, wanted[0] and seen == "person")

    def test_zones_of_a_make_without_such_are_plain_again_and_the_file_keeps_them(self):
        zone = corner(ZoneDoes.RECORDS, classes=("person",))
        self.assertEqual(zone_from_dict(zone_to_dict(zone)), zone)
        broken = limits_broken(Candidate(plain(4, zones=(zone,)), capability()))
        self.assertEqual(sum("every zone records and alerts" in b or "hold for every class" in b for b in broken), 2)
        (plain_again,) = known_notches((zone,), capability())
        self.assertEqual((plain_again.does, plain_again.classes), (ZoneDoes.BOTH, ()))


class Exceptions(unittest.TestCase):
    """An exception changes its own time only, whatever the make."""

    @settings(max_examples=80, deadline=None)
    @given(
        st.sampled_from(sorted(MAKES)), st.sampled_from(["alert_plan", "recording_plan"]),
        st.sampled_from([None, NIGHT, WeekPlan()]), st.sampled_from(["on", "off", "Sunday"]),
        st.integers(0, 2 * 1440), st.integers(1, 1440), st.sampled_from(list(RecordingMode)),
    )  # fmt: skip
    def test_what_lies_outside_of_it_becomes_what_it_became_before(self, name, lever, plan, rule, begin, minutes, mode):
        evidence, make = week(), capability(name)
        low = datetime(2025, 9, 7) + timedelta(minutes=begin)
        high = low + timedelta(minutes=minutes)
        usual = plain(4, mode=mode, **{lever: plan})
        settings_ = (usual, usual.with_values(**{lever: with_specials(plan, (Special("fair", low, high, rule),))}))
        before, after = (replay(evidence, Candidate(replace(s, capability=make.id), make)) for s in settings_)
        zone = ZoneInfo(evidence.time_zone)
        ends = [d.replace(tzinfo=zone).timestamp() for d in (low, high)]
        for place, (_, start, end) in enumerate(evidence.spans):
            # A day that is treated as another takes the night that begins on it along.
            away = end + 60 < ends[0] or start - 60 > ends[1] + (DAY if rule == "Sunday" else 0)
            if away:
                for one, two in ((before.recorded, after.recorded), (before.told, after.told)):
                    self.assertEqual(one[place], two[place], (place, make.id))


class Always(unittest.TestCase):
    """A camera that writes always misses nothing in its hours; what motion marks, and alerts, is told apart."""

    def test_what_motion_does_not_mark_is_on_the_store_and_lost_by_recording_by_motion(self):
        always = {"mode": RecordingMode.CONTINUOUS}
        evidence = week(**always)
        quiet = plain(30, **always)
        both = compared(evidence, plain(4, **always), quiet)
        self.assertEqual((both.draft.real_missed, len(both.draft.unmarked), both.draft.missed.mean), ((), 4, 0.0))
        self.assertEqual([c.flip for c in both.changes], [Flip.NEWLY_UNMARKED] * 4 + [Flip.NEWLY_SILENCED] * 4)
        self.assertIn("size", both.changes[0].reason)
        self.assertEqual(len(both.draft.false_recorded), 0, "false ones count as motion marks them")
        changed = compared(evidence, quiet, plain(30))
        self.assertEqual([c.flip for c in changed.changes], [Flip.NEWLY_MISSED] * 4)

    def test_in_its_hours_only(self):
        both = {"mode": RecordingMode.MIXED, "recording_plan": NIGHT}
        score = compared(week(), plain(4), plain(30, **both)).draft
        self.assertEqual((len(score.real_missed), len(score.unmarked)), (2, 2))

    @settings(max_examples=60, deadline=None)
    @given(
        st.sampled_from([None, NIGHT, WeekPlan()]), st.booleans(), st.booleans(), st.booleans(),
        st.sampled_from([RecordingMode.CONTINUOUS, RecordingMode.MIXED]), st.integers(0, 2 * 1440 - 1),
    )  # fmt: skip
    def test_minute_by_minute(self, plan, detection, paused, quiet, mode, minute):
        evidence = week()
        pause = Special("away", datetime(2025, 9, 7, 12), datetime(2025, 9, 8, 2), "off")
        chosen = plain(
            4, mode=mode, recording_plan=plan, detection_on=detection,
            alert_plan=with_specials(None, (pause,)) if paused else None,
            modes=(Mode("closed", NIGHT, records=False),) if quiet else (),
        )  # fmt: skip
        stops = ("alerts", "continuous recording")
        make = replace(tried(chosen).capability, alert_pause_stops=stops, detection_off_stops=stops)
        candidate = replace(tried(chosen), capability=make)
        at = BEGIN + 60.0 * minute
        clips = (replace(evidence.clips[0], start_s=at), *evidence.clips[1:])
        got = bool(always_written(replace(evidence, clips=clips), candidate)[0])
        moment, place = [at + 0.5], evidence.place
        wanted = detection and bool(on_at(plan if plan is not None else ALWAYS, moment, place)[0])
        wanted &= not (paused and not on_at(with_specials(None, (pause,)), moment, place)[0])
        wanted &= not (quiet and bool(on_at(NIGHT, moment, place)[0]))
        self.assertEqual(got, wanted)
        self.assertEqual(len(np.flatnonzero(always_written(evidence, tried(plain(4))))), 0)


if __name__ == "__main__":
    unittest.main()
