"""The view-model of the step Hours: the plans of the draft, and what the evidence says of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from guardia.app.camera.camera_model import CameraModel
from guardia.app.steps.ribbon_tool import NEW_STRETCH, RibbonTool
from guardia.app.steps.step_model import StepModel
from guardia.app.work.jobs import Report, Token
from guardia.app.work.messages import Severity
from guardia.core.base.errors import GuardiaError, InvalidValue
from guardia.core.base.words import count_of
from guardia.core.hours.modes import Mode
from guardia.core.hours.periods import Period, Typed, from_periods, to_periods
from guardia.core.hours.place import SitePlace, SunEvent, sun_seconds
from guardia.core.hours.plan import (
    ALWAYS,
    EVERY_DAY,
    Edge,
    Special,
    Stretch,
    WeekPlan,
    dark_left_out,
    on_at,
    with_specials,
)
from guardia.core.make.levers import LEVER_OF
from guardia.core.make.settings import Settings
from guardia.core.prove.next_action import MISSED_WEIGHT
from guardia.core.purpose.judgement import Verdict
from guardia.core.score.alerts import AlertScore, alert_score, switchable_causes
from guardia.core.score.hours import Cure, HourOfDay, hours_of_day, late_switching, outside, week_seconds
from guardia.core.storage.readings import Measure, Reading, alert_delay
from guardia.core.tuning.cures import usual_cures
from guardia.core.tuning.hours import ProposedHours, propose_hours
from guardia.formats.calendar import calendar_of, read_specials
from guardia.formats.plain import save_file

if TYPE_CHECKING:
    from guardia.app.project.session import Session

PLANS = {"recording_plan": "Recording hours", "alert_plan": "Alert hours"}


SUN_MARGIN_MIN = 20
"""Hours by the sun begin so long before dusk and end so long after dawn (common practice, no source)."""


class WeekMark(NamedTuple):
    """A visit on the ribbon."""

    minute: float
    """After Monday 00:00."""
    verdict: Verdict | None
    """Its verdict, None while it is not judged."""
    id: int
    """Of the occurrence."""
    inside: bool
    """Within the plan that is shown."""


class HoursModel(StepModel):
    """Hours of one camera; parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        hours = model.draft.hours
        alerts_only = hours.recording_plan is None and hours.alert_plan is not None
        # The plan that is looked at: that of a lever by its name, or of a mode by its place.
        self.which: str | int = "alert_plan" if alerts_only else "recording_plan"
        self.proposed: ProposedHours | None = None
        self.curing = self.latest()
        self._dark: tuple[object, str] | None = None
        self.tool = RibbonTool(
            lambda: self.plan, self.preview, self.keep, lambda: self.place, lambda: self.monday,
            lambda: model.camera.capability.schedule.step_min,
        )  # fmt: skip
        for signal in (model.judgements_changed, model.evidence_changed, model.installed_changed):
            signal.connect(self._forget)
        model.comparison_changed.connect(self.changed)
        model.facts_changed.connect(self.changed)
        session.cameras_changed.connect(self.changed)

    def _forget(self) -> None:
        self.proposed = None
        self.changed.emit()

    @property
    def plan(self) -> WeekPlan | None:
        """The plan of the draft that is looked at; None for always."""
        return self._plan_in(self.model.draft)

    @property
    def specials(self) -> tuple[Special, ...]:
        """The exceptions to it."""
        return self.plan.specials if self.plan is not None else ()

    @property
    def installed(self) -> WeekPlan | None:
        """The same of the installed settings."""
        return self._plan_in(self.model.camera.installed)

    def _plan_in(self, settings: Settings) -> WeekPlan | None:
        if isinstance(self.which, int):
            modes = settings.hours.modes
            return modes[self.which].plan if self.which < len(modes) else None
        plan: WeekPlan | None = LEVER_OF[self.which].read(settings)
        return plan

    def _with_plan(self, plan: WeekPlan | None) -> Settings:
        """The draft with another plan in place of the one that is looked at."""
        draft, at = self.model.camera.draft, self.mode_at
        if not isinstance(self.which, int):
            return LEVER_OF[self.which].set(draft, plan)
        if at is None:
            return draft
        modes = draft.hours.modes
        changed = replace(modes[at], plan=ALWAYS if plan is None else plan)
        return draft.with_values(modes=(*modes[:at], changed, *modes[at + 1 :]))

    @property
    def modes(self) -> tuple[Mode, ...]:
        """The modes of the draft."""
        return self.model.draft.hours.modes

    @property
    def mode_at(self) -> int | None:
        """Which of them is looked at."""
        return self.which if isinstance(self.which, int) and self.which < len(self.modes) else None

    def add_mode(self, name: str) -> None:
        """Add a mode in which nothing is told, at night to begin with; tells what cannot be its name."""
        try:
            mode = Mode(name, WeekPlan((NEW_STRETCH,)), alerts=False)
        except InvalidValue as error:
            self._session.messages.tell_error(error)
            return
        self.change_alerts(f"add mode '{name}'", modes=(*self.modes, mode))
        self.choose(len(self.modes) - 1)

    def remove_mode(self) -> None:
        """Take the mode that is looked at out."""
        at = self.mode_at
        if at is not None:
            modes = (*self.modes[:at], *self.modes[at + 1 :])
            self.which = "recording_plan"
            self.change_alerts("take a mode out", modes=modes)

    def change_mode(self, **values: Any) -> None:
        """Change what the mode that is looked at does."""
        at = self.mode_at
        if at is not None:
            modes = (*self.modes[:at], replace(self.modes[at], **values), *self.modes[at + 1 :])
            self.change_alerts("change a mode", modes=modes)

    def late_words(self) -> str:
        """What it costs that the mode is switched late."""
        at = self.mode_at
        if at is None or not self.modes[at].late_min:
            return "Switched by hand or by the clock: on time. Dates on which it is switched by hand are exceptions."
        try:
            late = late_switching(self.model.evidence, self.model.comparison.draft_replay, self.modes[at])
        except InvalidValue as error:
            return str(error)
        return (
            f"{late.uncovered_min:.0f} min a week pass between leaving and its coming into force, "
            f"{count_of(late.real_uncovered, 'real visit')} of the evidence in them; "
            f"{count_of(late.alerts_on_return, 'alert')} on coming home."
        )

    @property
    def place(self) -> SitePlace:
        """Where the site lies."""
        site = self._session.site
        return SitePlace(site.time_zone, site.latitude, site.longitude)

    @property
    def monday(self) -> date:
        """Of the latest week of the evidence, of this week without any."""
        clips = self.model.evidence.clips
        at = self._session.local_time(clips[-1].start_s) if clips else datetime.now(UTC)
        return at.date() - timedelta(days=at.weekday())

    @property
    def now(self) -> datetime:
        """This moment on the site's clock."""
        return datetime.now(self._session.time_zone)

    def choose(self, which: str | int) -> None:
        """Look at another plan."""
        self.which, self.tool.selected, self.proposed = which, None, None
        self.changed.emit()

    def preview(self, plan: WeekPlan | None) -> None:
        """Score a plan without keeping it."""
        self.model.preview(self._with_plan(plan))

    def keep(self, plan: WeekPlan | None, what: str) -> None:
        """Make a plan part of the draft; can be undone."""
        self.model.change_draft(self._with_plan(plan), what)

    def change_alerts(self, what: str, **values: object) -> None:
        """Change what is told; can be undone."""
        self.model.change_draft(self.model.camera.draft.with_values(**values), what)

    def marks(self) -> list[WeekMark]:
        """The visits of the evidence by their place in the week."""
        evidence = self.model.evidence
        begins = [evidence.span_s(v[0])[0] for v in evidence.visits]
        try:
            inside = on_at(self.plan, begins, self.place)
        except InvalidValue:
            inside = on_at(None, begins, self.place)
        return [
            WeekMark(at / 60, visit.verdict, visit.id, bool(on))
            for at, visit, on in zip(week_seconds(evidence).tolist(), evidence.visits, inside, strict=True)
        ]

    def nights(self) -> list[tuple[float, float]]:
        """From sunset to sunrise in the week that is drawn, minutes after Monday; none where the sun is not known."""
        if not self.place.has_sun:
            return []
        nights = []
        for day in range(-1, 7):
            ordinal = self.monday.toordinal() + day
            begin = sun_seconds(self.place, SunEvent.SUNSET, ordinal)[0] / 60
            end = sun_seconds(self.place, SunEvent.SUNRISE, ordinal + 1)[0] / 60
            nights.append((day * 1440 + begin, (day + 1) * 1440 + end))
        return nights

    def typed(self) -> Typed:
        """What is typed in at the camera."""
        if self.plan is None:
            return Typed((), ())
        try:
            return to_periods(self.plan, self.model.camera.capability.schedule, self.place, self.monday)
        except InvalidValue as error:
            return Typed((), (str(error),))

    def words(self) -> list[str]:
        """What the evidence says of the plan, the most important first."""
        evidence, lines = self.model.evidence, []
        try:
            lost, silenced = (outside(evidence, self.plan, v) for v in (Verdict.REAL, Verdict.FALSE))
        except InvalidValue as error:
            return [str(error)]
        at = self.mode_at
        if at is not None:
            lines.append(f"Hours of the mode '{self.modes[at].name}'.")
        if self.which == "recording_plan" and not self.model.draft.detection.detection_on:
            lines.append(self._detection_off())
        if shared := self.shared_words():
            lines.append(shared)
        if self.plan is None:
            lines.append("Always: nothing is left out by hours.")
        else:
            lines.append(
                f"{count_of(len(lost), 'real visit')} and {count_of(len(silenced), 'false one')} of the evidence lie "
                "outside these hours."
            )
            lines += self._mistakes(self.plan)
            if any(s.overnight for s in self.plan.stretches) and (dark := self.dark_words()):
                lines.append(dark)
        return lines

    def _detection_off(self) -> str:
        installed, draft = self.model.comparison.installed, self.model.comparison.draft
        lost = len({*installed.real_recorded} - {*draft.real_recorded})
        unmarked = len({*draft.unmarked} - {*installed.unmarked})
        costs = [f"{lost} real recordings are lost"] if lost or not unmarked else []
        costs += [f"{unmarked} real ones on the store are no longer marked"] if unmarked else []
        stops = " and ".join(self.model.camera.capability.detection_off_stops)
        return (
            f"Detection is switched off in this draft: on this make that ends {stops}. "
            f"{' and '.join(costs)}; to keep a phone quiet change the alerts instead."
        )

    def _mistakes(self, plan: WeekPlan) -> list[str]:
        """What looks like a mistake in the hours, and minutes of darkness that fixed hours miss."""
        halves = [Period(d, *_clock(s.begin.minute, s.end.minute, over=s.overnight)) for s in plan.stretches
                  if s.begin.sun is None and s.end.sun is None for d in s.days]  # fmt: skip
        return list(from_periods(halves).findings)

    def dark_words(self) -> str:
        """Over the year, how much of the dark a plan by the clock leaves out at the worst date."""
        plan, place = self.plan, self.place
        if plan is None or not place.has_sun or plan.follows_sun:
            return ""
        key = (plan, place, self.monday.year)
        if self._dark is None or self._dark[0] != key:
            self._dark = (key, self._darkest())
        return self._dark[1]

    def _darkest(self) -> str:
        """The words of dark_words()."""
        on, worst = max(self.dark_by_date(), key=lambda one: one[1])
        if not worst:
            return "These hours cover every night of the year from dusk to dawn."
        return f"Fixed hours against the sun: around {on:%d %b} up to {worst:.0f} min of darkness a night are left out."

    def hours_of_day(self) -> list[HourOfDay]:
        """The 24 hours of the day as the evidence shows them."""
        return hours_of_day(self.model.evidence)

    def alert_scores(self) -> tuple[AlertScore, AlertScore]:
        """What is told under the installed settings and under the draft."""
        evidence, both = self.model.evidence, self.model.comparison
        return alert_score(evidence, both.installed_replay), alert_score(evidence, both.draft_replay)

    def switchable_causes(self) -> tuple[str, ...]:
        """Other causes than motion that can be switched off on this camera."""
        off = self.model.draft.alerts.causes_off
        return tuple(dict.fromkeys((*switchable_causes(self.model.evidence, self.model.camera.capability), *off)))

    def cures(self) -> list[Cure] | None:
        """Ways to be alerted less than under the installed settings, each by itself; None until they are worked out."""
        evidence, camera, zones = self.model.evidence, self.model.camera, self.model.draft.detection.zones
        start = camera.under(camera.installed)
        key = (evidence, start, zones)
        cures: list[Cure] | None = self.curing.ask(key, lambda: usual_cures(evidence, start, zones))
        return cures

    def dark_by_date(self) -> list[tuple[date, float]]:
        """Minutes of darkness that a plan leaves out, week by week through the year; none without a sun."""
        plan = self.plan
        if plan is None or not self.place.has_sun:
            return []
        days = [date(self.monday.year, 1, 1) + timedelta(days=n) for n in range(0, 366, 7)]
        return list(zip(days, dark_left_out(plan, days, self.place), strict=True))

    def propose(self) -> bool:
        """Search hours off the interface thread; False while a search is under way."""
        evidence, rules = self.model.evidence, self.model.camera.capability.schedule
        recording = self.which == "recording_plan"

        def work(_token: Token, _report: Report) -> ProposedHours:
            return propose_hours(evidence, rules, miss_cost=float(MISSED_WEIGHT), expected_too=recording)

        return self.jobs.start("Proposing hours", work, self._take_in, of_values=True)

    def _take_in(self, proposed: ProposedHours) -> None:
        self.proposed = proposed
        self.changed.emit()

    def take_proposed(self) -> None:
        """Make the proposed hours the draft's."""
        if self.proposed is not None:
            self.keep(with_specials(self.proposed.plan, self.specials), "take proposed hours")

    def add_special(self, special: Special) -> None:
        """Add an exception."""
        self.keep(with_specials(self.plan, (*self.specials, special)), f"add exception '{special.name}'")

    def remove_special(self, row: int) -> None:
        """Take an exception out."""
        if 0 <= row < len(self.specials):
            rest = (*self.specials[:row], *self.specials[row + 1 :])
            self.keep(with_specials(self.plan, rest), "remove an exception")

    def sources(self) -> list[tuple[str, WeekPlan]]:
        """Plans of the other cameras that could be shared, by their words; the same plan once."""
        plans: dict[WeekPlan, str] = {}
        for number, other in self._session.cameras.all().items():
            for words, settings in (("installed", other.installed), ("draft", other.draft)):
                for name, kind in PLANS.items():
                    plan = LEVER_OF[name].read(settings)
                    if plan is not None and number != self.model.camera.id:
                        plans.setdefault(plan, f"{other.name}, {words} {kind.lower()}: {plan.words}")
        return [(words, plan) for plan, words in plans.items() if plan != self.plan]

    def shared_with(self) -> tuple[str, dict[int, tuple[str, bool]]]:
        """Name of the group that shares these hours, and by number every other camera with whether it is in it."""
        shared, mine = self._session.shared_hours, self.model.camera.id
        group = shared.group_of(mine)
        inside = group.cameras if group is not None else ()
        others = {}
        for number, other in self._session.cameras.all().items():
            elsewhere = shared.group_of(number)
            note = f" (now in '{elsewhere.name}')" if elsewhere not in (None, group) and elsewhere is not None else ""
            if number != mine:
                others[number] = (f"{other.name}{note}", number in inside)
        return (group.name if group is not None else ""), others

    def share(self, name: str, others: Sequence[int]) -> None:
        """Let these hours be those of other cameras, too."""
        self._session.shared_hours.share(self.model, name, others)

    def shared_words(self) -> str:
        """Which cameras these hours belong to; empty where to this one alone."""
        name, others = self.shared_with()
        inside = [words for words, member in others.values() if member]
        return f"Shared as '{name}' with {', '.join(inside)}: a change here changes them all." if inside else ""

    def alert_delay_words(self) -> str:
        """What the tests say of how late alerts come."""
        delay = alert_delay(self.model.facts.readings())
        if delay is None:
            return "No alert test is logged yet: walk in front of the camera and note when the phone says so."
        return delay.words

    def log_alert_test(self, wall: datetime, value: float | None) -> None:
        """Keep when an alert came after somebody made the camera trigger."""
        at_s = wall.replace(tzinfo=self._session.time_zone).timestamp()
        facts = self.model.facts
        facts.set_readings([*facts.readings(), Reading(at_s, Measure.ALERT_DELAY, value)], "log an alert test")

    def remove_last_alert_test(self) -> None:
        """Take the latest alert test out."""
        readings = list(self.model.facts.readings())
        tests = [r for r in readings if r.what is Measure.ALERT_DELAY]
        if tests:
            readings.remove(tests[-1])
            self.model.facts.set_readings(readings, "take an alert test out")

    def follow_sun(self) -> None:
        """Let the chosen stretch last from a little before dusk to a little after dawn; a new one where none is."""
        plan, at = self.plan or WeekPlan(), self.tool.selected
        at = len(plan.stretches) if at is None else at
        days = plan.stretches[at].days if at < len(plan.stretches) else EVERY_DAY
        dark = Stretch(days, Edge(-SUN_MARGIN_MIN, SunEvent.DUSK), Edge(SUN_MARGIN_MIN, SunEvent.DAWN), overnight=True)
        self.tool.selected = at
        changed = (*plan.stretches[:at], dark, *plan.stretches[at + 1 :])
        self.keep(WeekPlan(changed, plan.specials), "follow the sun")

    def read_off(self, periods: Sequence[Period]) -> None:
        """Take periods as they stand on the camera, and tell what looks like a mistake."""
        plan = from_periods(periods)
        self.keep(with_specials(plan.plan, self.specials), "read hours off the camera")
        if plan.findings:
            self._messages.tell("\n".join(plan.findings), Severity.WARNING)

    def read_calendar(self, path: Path, rule: str) -> None:
        """Take the events of a calendar as exceptions: those of the evidence, and of a year from its latest week on."""
        evidence, latest = self.model.evidence, self.monday
        first = min(latest, evidence.dates[0]) if evidence.clips else latest
        try:
            specials = read_specials(path, self.place, rule, first, latest + timedelta(days=366))
        except GuardiaError as error:
            self._messages.tell_error(error)
            return
        new = tuple(s for s in specials if s not in self.specials)
        if new:
            self.keep(with_specials(self.plan, (*self.specials, *new)), f"add {count_of(len(new), 'exception')}")
        self._messages.tell(f"{count_of(len(new), 'exception')} taken from {path.name}.")

    def save_calendar(self, path: Path) -> None:
        """Save the draft's plans as a calendar."""
        camera = self.model.camera
        plans = {f"{camera.name}, {words.lower()}": plan for name, words in PLANS.items()
                 if (plan := LEVER_OF[name].read(self.model.draft)) is not None}  # fmt: skip
        try:
            save_file(path, calendar_of(plans, self.place, self.monday), "The calendar")
        except GuardiaError as error:
            self._messages.tell_error(error)
        else:
            self._messages.tell(f"{count_of(len(plans), 'plan')} saved to {path}.")


def _clock(begin: int, end: int, *, over: bool) -> tuple[int, int]:
    """Begin and end of a period; a night's end lies after 24:00."""
    return begin, end + 1440 * over
