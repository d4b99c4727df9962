"""The view-model of the step Prove: why something was not recorded, and which walks settle what is open."""

from __future__ import annotations

import time
from collections.abc import Mapping
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.readings_table import read_in, save_readings
from guardia.app.steps.people_model import PeopleModel
from guardia.app.steps.step_model import StepModel
from guardia.core.base.errors import ProjectError
from guardia.core.evidence.clips import Origin, Visit
from guardia.core.evidence.walked import RESULTS, Walked
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.prove.complaints import bad_at_night, too_many
from guardia.core.prove.diagnose import Diagnosis, Question, answered, diagnose
from guardia.core.prove.linked import Link, Pass, links_of, not_seen, walked_on, woken
from guardia.core.prove.walks import NEAR_M, Aim, Passes, Walk, Way, candidate_walks, fewest_walks, open_aims, passes_of
from guardia.core.purpose.judgement import kind_of
from guardia.core.replay.gate import State
from guardia.core.replay.silence import silences
from guardia.core.score.reach import THINGS, reach_m, shown_shares, strength_at
from guardia.core.storage.readings import RANGES, Measure
from guardia.core.storage.trend import Trend, threshold_of, trend_of
from guardia.core.tuning.cures import usual_cures
from guardia.core.view.geometry import density_words
from guardia.core.view.walk_look import WalkLook
from guardia.formats.plain import save_file

if TYPE_CHECKING:
    from guardia.app.project.session import Session

FAR_M = {False: 15.0, True: 8.0}
"""Far by day and in the dark, where the view does not tell the reach (common practice, no source)."""

MOST_OFFERED = 30

_LOOKED = "looked"
"""Begins the items that are kept of looks at gates: then the moment, POSIX seconds, then the gate."""

_SEEN = {State.OPEN: "fine", State.CLOSED: "the cause"}


class Linked(NamedTuple):
    """What is known of the ways to and from a camera."""

    ways: list[tuple[str, str, Link, int]]
    """From, to, the way, and how many visits that are missed or late the first camera would have woken the second for.
    """
    gaps: list[tuple[str, str, float]]
    """Visits that passed unseen: the camera that saw them before, the one after, and about when (POSIX seconds)."""
    visits: list[tuple[Link, Pass, Pass]]
    """Those who walked on, the latest first."""


class ProveModel(StepModel):
    """Proves one camera; parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        self.question = Question.NOT_RECORDED
        self._planned_s = time.time()
        self.planning, self.linking, self.complaining = self.latest(), self.latest(), self.latest()
        self.looking = self.latest()
        self._people = session.step_model(PeopleModel, model)
        self._people.changed.connect(self.changed)
        self.complaining.changed.connect(self.changed)
        ends = [c.end_s for c in model.evidence.clips]
        self.at_s = max(ends, default=0.0)
        for signal in (model.comparison_changed, model.facts_changed):
            signal.connect(self.changed)
        session.cameras_changed.connect(self.changed)

    @property
    def at(self) -> datetime:
        """The moment that is asked about, on the site's clock."""
        return self._session.local_time(self.at_s)

    def ask(self, wall: datetime, question: Question) -> None:
        """Ask about another moment of the site's clock, or another question."""
        self.at_s = wall.replace(tzinfo=self._session.time_zone).timestamp()
        self.question = question
        self.changed.emit()

    def diagnosis(self) -> Diagnosis | None:
        """What is known of every gate at that moment, or in all of the evidence; None until it is worked out."""
        model = self.model
        if self.question in (Question.TOO_MANY, Question.AT_NIGHT):
            return self._complaint()
        shown = next((v for v, begin, end in self._missed() if begin - 1 <= self.at_s <= end + 1), None)
        found = diagnose(
            model.evidence, model.camera.capability, self.at_s, self.question, model.replay_of,
            shown[0] if shown is not None else None,
        )  # fmt: skip
        return answered(found, self.answers())

    def answers(self) -> dict[str, tuple[State, str]]:
        """What somebody saw who looked at gates of the moment asked about, with the day on which it was said."""
        begin, found = self._item(""), {}
        for item, one in self.model.facts.checked().items():
            if item.startswith(begin) and one.state in _SEEN:
                state = State(one.state)
                when = f"{self.local(one.at_s):%d %b %Y %H:%M}"
                found[item.removeprefix(begin)] = (state, f"somebody looked: {_SEEN[state]} (said {when})")
        return found

    def answer(self, gate: str, state: State) -> None:
        """Say what a look at a gate showed of the moment asked about; State.UNKNOWN takes it back."""
        what = f"say that '{gate}' was {_SEEN[state]}" if state in _SEEN else f"say that '{gate}' is not known"
        self.model.facts.check(self._item(gate), state.value, "", time.time(), what)

    def _item(self, gate: str) -> str:
        return f"{_LOOKED} {self.at_s:.0f} {gate}"

    def _complaint(self) -> Diagnosis | None:
        model, question, at_s = self.model, self.question, self.at_s
        evidence, done = model.evidence, model.comparison.installed_replay
        zones, look = model.draft.detection.zones, model.pictures.facts_job()

        def work() -> Diagnosis:
            if question is Question.AT_NIGHT:
                return bad_at_night(evidence, done, look(), at_s)
            cures = usual_cures(evidence, done.candidate, zones, seek_zones=True)
            return too_many(evidence, done, cures, at_s)

        answer: Diagnosis | None = self.complaining.ask((question, done, zones, at_s), work)
        return answer

    def _missed(self) -> list[tuple[Visit, float, float]]:
        """Real visits that the installed settings miss or do not mark, with beginning and end."""
        evidence, installed = self.model.evidence, self.model.comparison.installed
        missed = {*installed.real_missed, *installed.unmarked}
        return [(v, *evidence.span_s(v[0])) for v in evidence.visits if v.id in missed]

    def offers(self) -> list[tuple[str, datetime]]:
        """Moments worth asking about: real visits missed or not marked, silences that chance hardly explains."""
        local = self._session.local_time
        facts = []
        for visit, begin, _ in self._missed():
            at = local(begin)
            what = "not marked" if visit.id in self.model.comparison.installed.unmarked else "missed"
            facts.append((f"{what}: {kind_of(visit.kind).text}, {at:%d %b %Y %H:%M:%S}", at))
        for begin, end, chance in silences(self.model.evidence):
            middle = local((begin + end) / 2)
            hours = f"{(end - begin) / 3600:.0f} h"
            odds = f"1 in {1 / max(chance, 1e-9):.0f}"
            facts.append((f"silent for {hours} around {middle:%d %b %Y %H:%M} ({odds})", middle))
        return facts[:MOST_OFFERED]

    def log_finding(self, note: str) -> None:
        """Enter what was asked, what was found and what was seen there in the logbook."""
        diagnosis = self.diagnosis()
        if diagnosis is None:
            return
        lines = [f"{diagnosis.question.value[:-1]} on {self.at:%Y-%m-%d %H:%M:%S}? {diagnosis.words}"]
        seen = [f"{gate}: {_SEEN[state]}" for gate, (state, _) in self.answers().items()]
        lines += [f"Looked at {'; '.join(seen)}."] if seen else []
        self.model.facts.log("looked into", "\n".join([*lines, *([note] if note else [])]))

    @property
    def far_m(self) -> Mapping[bool, float] | None:
        """How far a walking adult is seen under the draft, by day and in the dark; a usual distance without a view.

        None until the people on its clips are measured.
        """
        known, camera = self.model.camera.view, self.model.camera
        if known is None:
            return FAR_M
        both = self._people.shown(known.view)
        if both is None:
            return None
        answers = {}
        for dark in (False, True):
            contrast, size = self.model.draft.in_light(dark=dark).sensitivity_under(camera.capability)
            lamp, shown = known.lamp_m if dark else None, both[dark]
            at = reach_m(known.view, THINGS[0], contrast=contrast, size=size, across=True, shown=shown, lamp_m=lamp)
            answers[dark] = max(at, NEAR_M + 1)
        return answers

    def plan(self) -> tuple[list[Walk], list[tuple[Aim, Passes]]] | None:
        """The fewest walks that settle what is open, and what is known of each open aim; None until worked out."""
        model = self.model
        evidence, draft, known = model.evidence, model.comparison.draft_replay, model.camera.view
        zones = {z.name: z.points for z in model.draft.detection.zones
                 if isinstance(z, PolygonZone) and z.kind is ZoneKind.WATCH}  # fmt: skip
        far = self.far_m
        if far is None:
            return None

        def work() -> tuple[list[Walk], list[tuple[Aim, Passes]]]:
            passes = passes_of(evidence, draft, known.view if known else None, far, zones)
            aims = open_aims(tuple(zones), passes)
            walks = fewest_walks(aims, candidate_walks(aims, NEAR_M, far))
            return walks, [(a, passes.get(a, Passes())) for a in aims]

        # What is entered while walking does not change the plan under the walker's feet: plan_anew() takes it in.
        key = (evidence.stack, evidence.occurrences, draft.candidate, known, self._planned_s)
        planned: tuple[list[Walk], list[tuple[Aim, Passes]]] | None = self.planning.ask(key, work)
        return planned

    def plan_anew(self) -> None:
        """Plan with what came of the walks so far."""
        self._planned_s = time.time()
        self.changed.emit()

    def linked(self) -> Linked | None:
        """Ways between the opened cameras of the site that begin or end at this one; None until they are worked out."""
        models = dict(self._session.cameras.opened)
        mine = self.model.camera.id
        evidence = {i: m.evidence for i, m in models.items()}
        done = {i: m.comparison.installed_replay for i, m in models.items()}
        names = {i: m.camera.name for i, m in models.items()}

        def work() -> Linked:
            links = links_of(evidence)
            own = [link for link in links if mine in (link.start, link.end)]
            ways = [(names[link.start], names[link.end], link, len(woken(evidence, done, link))) for link in own]
            gaps = [(names[g.before], names[g.after], g.near_s) for g in not_seen(evidence, links) if g.camera == mine]
            visits = [(link, before, after) for link in own for before, after in walked_on(evidence, link)]
            return Linked(ways, gaps, sorted(visits, key=lambda one: -one[1].begin_s))

        linked: Linked | None = self.linking.ask(tuple(evidence.items()), work)
        return linked

    def trends(self) -> list[Trend]:
        """What the readings of the camera tell, measure by measure."""
        readings = self.model.facts.readings()
        rules, facts = self.model.camera.capability.storage, self.model.evidence.storage.facts
        measures = (measure for measure in RANGES if measure is not Measure.ALERT_DELAY)
        trends = (trend_of(readings, measure, threshold_of(measure, rules, facts)) for measure in measures)
        return [trend for trend in trends if trend is not None]

    def read_in(self, path: Path) -> None:
        """Take a table of readings in, of this camera and others."""
        read_in(self._session, path)

    def save_readings(self, path: Path) -> None:
        """Save the readings of all cameras and stores as a table."""
        save_readings(self._session, path)

    def local(self, posix_s: float) -> datetime:
        """A moment on the site's clock."""
        return self._session.local_time(posix_s)

    def log_walk(self, walk: Walk, result: str, alert_s: float | None = None) -> None:
        """Keep what came of a walk under the installed settings: it tells of the scale, and stands in the logbook.

        When the phone told it, or that it never did, counts among the alert tests, too.
        """
        installed = self.model.camera.installed.in_light(dark=walk.dark)
        notch = "" if installed.detection.sensitivity is not None else installed.detection.notch
        alert_s = None if result in "MN" else alert_s
        walked = Walked(time.time(), *_way_of(walk), notch, self._strength(walk), result, alert_s)
        late = "" if walked.alert_s is None else f", the alert {walked.alert_s:.0f} s after the trigger"
        self.model.facts.add_walk(walked, f"{walk.words} {RESULTS[result]}{late}.")

    def came_of(self, walk: Walk) -> str:
        """What came of a walk since it was planned, in words; empty while it was not walked."""
        since = (w for w in self.model.evidence.walks if w.at_s >= self._planned_s)
        same = [w for w in since if (w.way, w.near_m, w.far_m, w.dark, w.zones) == _way_of(walk)]
        return RESULTS[same[-1].result] if same else ""

    def _strength(self, walk: Walk) -> float:
        """Size of a walking adult where the walk shows it largest, over the nominal threshold; 0 without a view."""
        known, camera = self.model.camera.view, self.model.camera
        if known is None:
            return 0.0
        contrast, size = camera.installed.in_light(dark=walk.dark).sensitivity_under(camera.capability)
        shown = shown_shares(self.model.evidence, known.view, dark=walk.dark)
        across = walk.way is Way.ACROSS
        return strength_at(known.view, walk.near_m, contrast=contrast, size=size, across=across, shown=shown)

    def density(self, walk: Walk) -> str:
        """Pixels a metre at the far end of a walk, and what that is enough for; empty without a view."""
        known = self.model.camera.view
        width = self.model.pictures.picture_size()[0]
        return density_words(known.view, walk.far_m, width) if known is not None and width else ""

    def looks(self) -> list[tuple[datetime, WalkLook | None]] | None:
        """How good the picture is in each walk test brought in, newest first; None until it is looked at."""
        model = self.model
        key = tuple(c.id for c in model.evidence.clips if c.origin is Origin.WALK_TEST), model.camera.view
        looked: list[tuple[float, WalkLook | None]] | None = self.looking.ask(key, model.pictures.walks_job())
        return None if looked is None else [(self.local(at_s), look) for at_s, look in looked]

    def save_card(self, path: Path) -> None:
        """Save the walks as a card to print and take along."""
        planned = self.plan()
        if planned is None or not planned[0]:
            self._messages.tell("There is no walk to print: nothing is open, or it is still being worked out.")
            return
        rows = [
            (w.words, "settles: " + "; ".join(a.words for a in w.settles) + "     R  /  L  /  M     alert after ____ s")
            for w in planned[0]
        ]
        title = f"Walk test: {self.model.camera.name}"
        now = datetime.now(self._session.time_zone)
        subtitle = f"{self._session.site.name}, made {now:%Y-%m-%d}. R recorded whole, L late or cut, M missed."
        act = ("Do the very thing that the camera is there for.", "open the gate, lift the cover, carry something out")
        foot = "Walked by ____________________    on ____________    by day ______ in the dark ______"
        from guardia.report.paper import list_pdf  # slow to import, and needed only here

        try:
            card = list_pdf(title, subtitle, [("Walks", rows), ("The act itself", [act])], foot)
            save_file(path, card, "The card")
        except ProjectError as error:
            self._messages.tell_error(error)
        else:
            self._messages.tell(f"The card was saved to {path}.")


def _way_of(walk: Walk) -> tuple[Way, float, float, bool, tuple[str, ...]]:
    """How somebody walks, from and to where, in the dark, through which zones; as in Walked."""
    zones = dict.fromkeys(aim.zone for aim in walk.settles if aim.zone)
    return walk.way, walk.near_m, walk.far_m, walk.dark, tuple(zones)
