"""One ordered list of gates: a gate put into it acts everywhere, is named, and answers for moments, too."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from guardia.core.hours.modes import Mode
from guardia.core.hours.plan import ALWAYS, EVERY_DAY, Edge, Special, Stretch, WeekPlan, with_specials
from guardia.core.make.candidate import Candidate
from guardia.core.prove.diagnose import Question, diagnose
from guardia.core.replay import gates
from guardia.core.replay.gate import GateAnswer, MaskGate, Stage, State, SwitchGate
from guardia.core.replay.replay import replay
from guardia.core.score.candidates import Scorer
from guardia.core.storage.known import StorageKnown
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.rules import RecordingMode
from guardia.core.storage.stores import StoreKind
from tests.core.test_diagnose import BEGIN, DAY, HOUR, NIGHTS, WeekCase
from tests.support import blob_trace, evidence_of, plain, tried

AT = BEGIN + 4 * DAY + 12.3 * HOUR


class Shut(SwitchGate):
    """Lets nothing trigger."""

    id = "a shutter"

    def off(self, candidate):
        return True

    def words(self, look):
        return "the shutter is closed"

    def at(self, moment):
        return GateAnswer(State.CLOSED, "the shutter was closed")


class Behind(MaskGate):
    """Lets nothing through behind the trigger."""

    id = "a wall"

    def closes(self, done, passing):
        return np.ones(len(passing), bool)

    def words(self, look):
        return "the wall is in the way"

    def at(self, moment):
        return GateAnswer(State.CLOSED, "the wall was in the way")


def walls():
    """A gate that always closes, for each stage, with the one of the list that it is put before."""
    yield Shut(), gates.DETECTION
    for stage, before in ((Stage.RECORDED, gates.LENGTH), (Stage.KEPT, gates.ROOM), (Stage.ALERTED, gates.PHONE)):
        yield type("Wall", (Behind,), {"stage": stage})(), before


class NewGate(WeekCase):
    def test_a_gate_that_always_closes_closes_everything_at_its_stage_and_is_named(self):
        evidence = evidence_of([blob_trace([9] * 20)] * 3, kinds=["person", "foliage", "person"])
        for gate, before in walls():
            at = gates.GATES.index(before)
            listed = (*gates.GATES[:at], gate, *gates.GATES[at:])
            with self.subTest(gate.stage), mock.patch.object(gates, "GATES", listed):
                done = replay(evidence, tried(plain(4)))
                score = Scorer().score(evidence, done)
                through = {
                    Stage.TRIGGERED: ~np.isnan(done.trigger_s), Stage.RECORDED: done.recorded,
                    Stage.KEPT: done.came_through(Stage.KEPT), Stage.ALERTED: done.told,
                }  # fmt: skip
                self.assertFalse(through[gate.stage].any())
                lost = gate.stage in (Stage.TRIGGERED, Stage.RECORDED)
                self.assertEqual((len(score.real_missed), len(score.false_recorded)), (2, 0) if lost else (0, 1))
                for outcome in done.outcomes.values():
                    self.assertIn(gate, outcome.stopped_at)
                    self.assertFalse(outcome.passed(gate.stage))
                    words = gate.words(outcome.look)
                    self.assertIn(
                        words, (outcome.reason, outcome.kept_reason, words if gate.stage is Stage.ALERTED else "")
                    )
                asked = Question.NOT_TOLD if gate.stage is Stage.ALERTED else Question.NOT_RECORDED
                found = self.ask(self.week(1, AT), AT, asked)
                self.assertEqual(found.cause.name, gate.id)


class OneChain(WeekCase):
    """What the diagnosis did not know, or knew otherwise than the replay."""

    def cause(self, question=Question.NOT_RECORDED, make=None, **week):
        evidence = self.week(1, AT, **week)
        make = make or self.make
        found = diagnose(evidence, make, AT, question, lambda s: replay(evidence, Candidate(s, make)))
        return found.cause.name if found.cause is not None else found.words

    def test_modes_and_pauses_are_known_to_both_questions(self):
        quiet = Mode("open", ALWAYS, alerts=False)
        settings = self.settings.with_values(modes=(quiet,))
        self.assertEqual(self.cause(Question.NOT_TOLD, settings=settings), "mode of alerts")
        pause = Special("away", *(np.datetime64(int(AT + s), "s").item() for s in (-DAY, DAY)), "off")
        stops = replace(self.make, alert_pause_stops=("alerts", "recording by motion"))
        paused = self.settings.with_values(alert_plan=with_specials(None, (pause,)))
        self.assertEqual(self.cause(make=stops, settings=paused), "alert pause")
        self.assertNotEqual(self.cause(settings=paused), "alert pause")
        off = self.settings.with_values(alerts_on=False)
        self.assertEqual(self.cause(make=stops, settings=off), "alert pause")

    def test_what_is_always_written_is_not_blamed_on_motion_or_hours(self):
        failed = [Reading(BEGIN, Measure.HEALTHY), Reading(AT - HOUR, Measure.FAILED)]
        small = blob_trace([0, *[1] * 10, 0])
        always = self.settings.with_values(mode=RecordingMode.CONTINUOUS)
        for settings in (always, always.with_values(detection_on=False)):
            self.assertEqual(self.cause(settings=settings, footage=small, of_store=failed), "store")
        mixed = self.settings.with_values(mode=RecordingMode.MIXED, recording_plan=NIGHTS)
        self.assertEqual(self.cause(settings=mixed, of_store=failed), "store")
        stops = replace(self.make, detection_off_stops=("continuous recording", "recording by motion"))
        off = always.with_values(detection_on=False)
        self.assertEqual(self.cause(make=stops, settings=off, of_store=failed), "detection on")

    def test_an_empty_pack_is_no_empty_camera_while_another_is_charged(self):
        one = [Reading(AT - HOUR, Measure.BATTERY_2, 0.0)]
        both = [*one, Reading(AT - HOUR, Measure.BATTERY, 62.0)]
        until = AT - 2 * HOUR
        self.assertEqual(self.cause(readings=one, until=until), "power")
        self.assertIn(
            "second battery pack was read as 0 %",
            self.ask(self.week(1, AT, readings=both, until=until), AT).reasons[0].words,
        )
        self.assertNotEqual(self.cause(readings=both, until=until), "power")
        self.assertEqual(
            self.cause(readings=[*both, Reading(AT - HOUR / 2, Measure.BATTERY, 1.0)], until=until), "power"
        )

    def test_whether_the_phone_lets_alerts_through_only_a_test_tells(self):
        for value, state in ((None, State.UNKNOWN), (4.0, State.OPEN)):
            test = [Reading(AT - DAY, Measure.ALERT_DELAY, value)]
            found = self.ask(self.week(1, AT, readings=test), AT, Question.NOT_TOLD)
            self.assertIs(next(r for r in found.reasons if r.name == "phone allows it").state, state)
        found = self.ask(self.week(1, AT), AT, Question.NOT_TOLD)
        self.assertIn("phone allows it", [r.name for r in found.checks])

    def test_a_store_read_before_and_after_is_open_and_one_read_before_only_is_not_known(self):
        before, after = Reading(AT - HOUR, Measure.HEALTHY), Reading(AT + HOUR, Measure.HEALTHY)
        for of_store, state in (([before, after], State.OPEN), ([before], State.UNKNOWN), ([after], State.UNKNOWN)):
            found = self.ask(self.week(1, AT, of_store=of_store), AT)
            self.assertIs(next(r for r in found.reasons if r.name == "store").state, state)
        bare = replace(self.week(1, AT), storage=StorageKnown((), {}, {}, (), AT))
        self.assertIn("no store is entered", next(r for r in self.ask(bare, AT).reasons if r.name == "store").words)
        remote = self.settings.with_values(target=StoreKind.REMOTE)
        names = [r.name for r in self.ask(self.week(1, AT, settings=remote), AT).reasons]
        self.assertIn("target", names)
        self.assertNotIn("store", names)

    def test_every_gate_has_an_id_of_its_own_and_answers_of_a_moment(self):
        self.assertEqual(len({g.id for g in gates.GATES}), len(gates.GATES))
        plan = WeekPlan((Stretch(EVERY_DAY, Edge(0), Edge(1440)),))
        settings = self.settings.with_values(recording_plan=plan, alert_plan=plan, alert_interval_s=60.0)
        found = self.ask(self.week(1, AT, settings=settings), AT, Question.NOT_TOLD)
        order = [g.id for g in gates.GATES]
        named = [r.name for r in found.reasons if r.name in order]
        self.assertEqual(named, sorted(named, key=order.index))


if __name__ == "__main__":
    unittest.main()
