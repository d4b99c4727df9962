"""The view-model of the step Storage: how long footage, a charge and an allowance last, and what changes that."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from guardia.app.camera.camera_model import CameraModel
from guardia.app.site.keep_export import Exported, export_job
from guardia.app.steps.step_model import StepModel
from guardia.app.work.messages import Severity
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.core.make.capability import Capability
from guardia.core.make.levers import MODE, QUALITY, SNAPSHOTS, TARGET, Lever
from guardia.core.replay.keeping import Keeping, copy_kept
from guardia.core.replay.replay import Replay
from guardia.core.score.power import Charge, Saved, Sent, charge_of, levers_saved, sent_of
from guardia.core.score.storage import (
    KeepLonger,
    School,
    StoreCost,
    ToKeep,
    WhatIf,
    costs,
    if_lost,
    keep_list,
    longest,
    requirement,
    schools,
    ways_to_keep,
    what_if,
)
from guardia.core.score.storage_findings import Finding, storage_findings
from guardia.core.storage.facts import FACTS, fact_figure, known_fact
from guardia.core.storage.figure import Figure, Source, exactly, short, with_name
from guardia.core.storage.readings import Reading
from guardia.core.storage.rules import StorageRules
from guardia.core.storage.stores import Fitted, Store, Takes

if TYPE_CHECKING:
    from guardia.app.project.session import Session

DAY_S = 86400.0

POWER_FACTS = {
    "standby": "standby_mw", "recording": "recording_w", "snapshot_energy": "snapshot_j", "alert_energy": "alert_j",
    "live_power": "live_w", "white_light": "white_light_w", "wake_energy": "wake_j", "battery": "battery_wh",
    "panel": "panel_w",
}  # fmt: skip
"""Facts for which the make gives what is assumed."""


SIDES = ("installed", "draft")


class Lane(NamedTuple):
    """One bar."""

    name: str
    """Whose it is: installed or draft; empty for a store beside the one above."""
    figure: Figure | None
    """How long it lasts, None where that is not known."""
    causes: tuple[Figure, ...]
    """What it is used up by; parts of one sum."""
    note: str
    """What stands at its end."""
    from_days: float = 0.0
    """Nothing newer is there: the bar begins so many days back."""
    of_draft: bool = False
    """It is the draft's."""


class Section(NamedTuple):
    """Installed and draft one above the other, on one scale."""

    title: str
    """What lasts."""
    lanes: tuple[Lane, ...]
    """Installed, then draft; beneath each the stores beside the chosen one."""
    marks: tuple[tuple[Figure, str], ...]
    """What is required or allowed, each in words too; none where nobody said."""
    dated: int
    """Days are dates counted back (-1) or on (1) from the day that is asked about; 0 where the scale is no time."""


def storage_choices(make: Capability) -> list[tuple[str, str, list[tuple[str, object]]]]:
    """What a make offers of storage: the value's name in settings, its words, and words and value of each choice."""
    chosen: tuple[Lever[Any], ...] = (TARGET, MODE, QUALITY, SNAPSHOTS)
    return [
        (lever.id, lever.subject, [(lever.say(value, make), value) for value in lever.options(make)])
        for lever in chosen
    ]


class StorageModel(StepModel):
    """Storage, power and data of one camera; parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        self.asking, self.saving = self.latest(), self.latest()
        model.comparison_changed.connect(self.changed)
        session.cameras_changed.connect(self.changed)

    @property
    def replays(self) -> tuple[Replay, Replay]:
        """Of the installed settings and of the draft."""
        both = self.model.comparison
        return both.installed_replay, both.draft_replay

    @property
    def keeping(self) -> Keeping:
        """Where recordings go under the draft."""
        return self.replays[1].keeping

    @property
    def rules(self) -> StorageRules:
        """What the make can be told of storage."""
        return self.model.camera.capability.storage

    @property
    def asked(self) -> date:
        """The day that is asked about."""
        return self._session.local_time(self.keeping.known.asked_s).date()

    def findings(self) -> list[Finding]:
        """What is wrong under the draft, the worst first; where it is cured, what was."""
        installed, draft = (storage_findings(done, self.replays[0]) for done in self.replays)
        if draft or not installed:
            return draft
        return [Finding(f"Cured by the draft: {installed[0].words}", serious=False)]

    def sections(self) -> list[Section]:
        """The bars of the page."""
        sections = [self._kept()]
        charges = [charge_of(done, self.replays[0]) for done in self.replays]
        if charges[0] is not None:
            lanes = tuple(_charge_lane(c, of_draft=bool(n)) for n, c in enumerate(charges) if c)
            sections.append(Section("Days until the battery must be charged", lanes, (), 1))
        sent = [sent_of(done) for done in self.replays]
        if sent[0] is not None:
            lanes = tuple(_sent_lane(s, of_draft=bool(n)) for n, s in enumerate(sent) if s)
            allowance = sent[0].allowance
            allowed = ((allowance, f"{short(allowance.value)} GB allowed"),) if allowance is not None else ()
            sections.append(Section("Sent over the mobile network a month", lanes, allowed, 0))
        return sections

    def _kept(self) -> Section:
        lanes = []
        for of_draft, done in zip((False, True), self.replays, strict=True):
            keeping, note, since = done.keeping, "", 0.0
            figure = keeping.days
            if keeping.known.stores and keeping.fitted is None:
                figure, note = exactly("days kept", 0.0, "days", Source.MEASURED), "nothing is kept: wrong target"
            elif keeping.full_s is not None:
                full = self._session.local_time(keeping.full_s).date()
                since = max(0.0, (keeping.known.asked_s - keeping.full_s) / DAY_S)
                note = f"nothing since {full}: full" if since else f"full on {full}, then nothing"
            elif keeping.overwrites_s is not None:
                on = self._session.local_time(keeping.overwrites_s).date()
                note = "" if keeping.overwrites_s <= keeping.known.asked_s else f"overwrites from {on} on"
            elif keeping.fitted is None:
                note = "enter the store: size not known"
            lanes.append(Lane(SIDES[of_draft], figure, keeping.causes, note, since, of_draft))
            for copy in keeping.copies:
                gets = copy.store.gets_words
                what = f"on '{copy.store.name}'" + (f": {gets}" if gets != Takes.ALL.value else "")
                held = with_name(copy_kept(keeping, copy), f"days kept by {copy.store.name}")
                lanes.append(Lane("", held, (), what, of_draft=of_draft))
        return Section("Days of footage kept  (●  judged real recordings)", tuple(lanes), self._limits(), -1)

    def _limits(self) -> tuple[tuple[Figure, str], ...]:
        """How long footage must be kept, and after how long it must be gone."""
        required, most = requirement(self.keeping), longest(self.keeping)
        limits = [(required, f"{short(required.value)} days required")] if required is not None else []
        limits += [(most, f"at most {short(most.value)} days")] if most is not None else []
        return tuple(limits)

    def real_ages(self) -> list[float]:
        """How many days ago each judged real visit was recorded, on the day that is asked about."""
        asked = self.keeping.known.asked_s
        return [(asked - k.at_s) / DAY_S for k in keep_list(self.replays[1])]

    @property
    def required(self) -> Figure | None:
        """Days that footage must be kept."""
        return requirement(self.keeping)

    @property
    def stops(self) -> bool:
        """Whether the installed settings let the store stop when it is full."""
        return not self.model.camera.installed.storage.overwrite

    @property
    def enough(self) -> bool:
        """Whether the installed settings keep footage so long."""
        days, required = self.replays[0].keeping.days, self.required
        return days is not None and required is not None and days.value >= required.value

    @property
    def all_well(self) -> str:
        """What is told where nothing is wrong."""
        if not self.keeping.known.stores:
            return (
                "Enter the store that this camera records to. How long it keeps follows from its size and its readings."
            )
        return "Nothing is wrong with storage, power and data, as far as is known."

    def figure_named(self, name: str | None) -> Figure | None:
        """A figure of the page, or of what it is worked out from; the days kept under the draft where none is asked."""
        lanes = [lane for s in self.sections() for lane in reversed(s.lanes)]
        lanes.sort(key=lambda lane: not lane.name)  # the chosen store before those beside it
        figures = [lane.figure for lane in lanes if lane.figure is not None]
        figures += [cause for lane in lanes for cause in lane.causes]
        named = next((f for f in figures if f.name == name), None)
        return named or next(iter(figures), None)

    @property
    def now(self) -> datetime:
        """This moment on the site's clock."""
        return datetime.now(self._session.time_zone)

    def camera_names(self) -> dict[int, str]:
        """Names of the site's cameras by number."""
        return {i: self._session.camera_name(i) for i in self._session.camera_ids()}

    def set_storage(self, what: str, **values: Any) -> None:
        """Change what the draft says of storage; can be undone."""
        self.model.change_draft(self.model.camera.draft.with_values(**values), what)

    def ask_on(self, day: date | None) -> None:
        """Ask what is there at the end of another day; None for the end of what is known."""
        after = None if day is None else datetime(day.year, day.month, day.day, tzinfo=self._session.time_zone)
        self.set_fact("asked_on", None if after is None else (after + timedelta(days=1)).timestamp() - 1)

    def set_fact(self, name: str, value: float | None) -> None:
        """Type a fact in; raises InvalidValue where it cannot be."""
        self._session.storage.set_fact(self.model.camera.id, name, value)

    @property
    def fed_v(self) -> float:
        """Volts that the camera is fed with, as typed in or as its make states; 0 where nobody said."""
        return self.keeping.known.facts.get("supply", self.rules.supply_v)

    def fact_value(self, name: str) -> float:
        """What a fact is now: typed in, else assumed, in the fact's own unit; 0 where nothing is assumed."""
        known = self.keeping.known
        facts = known.of_site if FACTS[name].of_site else known.facts
        figure = fact_figure(facts, name, self._of_make(name))
        return 0.0 if figure is None else figure.value

    def _of_make(self, name: str) -> tuple[float, float, float] | None:
        power, value = self.rules.power, POWER_FACTS.get(name)
        return power.band(getattr(power, value)) if power is not None and value is not None else None

    def ask(self) -> tuple[list[WhatIf], list[KeepLonger], list[School]] | None:
        """The what-if table, ways to keep as long as required, and schools; None until they are worked out."""
        installed, draft = self.replays
        required = requirement(draft.keeping)
        price = self._price_per_gb()

        def work() -> tuple[list[WhatIf], list[KeepLonger], list[School]]:
            ways = ways_to_keep(installed, required.value, price, draft) if required is not None else []
            return what_if(draft), ways, schools(draft)

        key = (draft, installed, required, price)
        answers: tuple[list[WhatIf], list[KeepLonger], list[School]] | None = self.asking.ask(key, work)
        return answers

    def _price_per_gb(self) -> float | None:
        """What a medium costs for each GB, by the stores whose price was entered."""
        known = [f.store for f in self._session.storage.stores if f.store.price is not None and f.store.capacity_gb]
        return sum(s.price or 0.0 for s in known) / sum(s.capacity_gb for s in known) if known else None

    def levers_saved(self) -> list[Saved] | None:
        """What each lever would save of the draft's charge; None until it is worked out."""
        installed, draft = self.replays
        saved: list[Saved] | None = self.saving.ask((draft, installed), lambda: levers_saved(draft, installed))
        return saved

    def months(self) -> list[tuple[str, str, str]]:
        """By month what the panel brings and how long a full charge of the draft lasts; none without a panel."""
        charge = charge_of(self.replays[1], self.replays[0])
        if charge is None:
            return []
        return [(m.name, f"{short(g.value)} Wh", m.words) for m, g in zip(charge.months, charge.gained, strict=True)]

    def take_way(self, way: KeepLonger) -> None:
        """Put the settings of a way into the draft; a medium must be bought by hand."""
        storage = way.settings.storage
        values = {"mode": storage.mode, "quality": storage.quality, "snapshot_every_s": storage.snapshot_every_s}
        self.set_storage(", ".join(way.words), **values)

    def to_save(self) -> list[ToKeep]:
        """Judged real recordings in the order in which they are lost under the installed settings."""
        return keep_list(self.replays[0])

    def stolen(self) -> str:
        """What is lost if the devices here are taken, and what the line has to carry."""
        return "\n".join(filter(None, (*if_lost(self.replays[0]), self._session.storage.line_words())))

    def costs(self) -> tuple[float, list[StoreCost]]:
        """Years, and what each store of the camera costs over them."""
        years = known_fact(self.keeping.known.of_site, "years").value
        return years, costs([f.store for f in self.keeping.known.stores], years)

    def export(self, wanted: Sequence[ToKeep], folder: Path) -> bool:
        """Copy the originals of what is to be saved, off the interface's thread."""
        clips = list(dict.fromkeys(o.clip_id for k in wanted for o in k.visit))
        job = export_job(self._session.folder, self.model.camera.id, clips, folder)
        camera = self.model.camera.name

        def done(result: Exported) -> None:
            number = count_of(len(result.folders), "original")
            words = f"{number} of {camera} copied to {folder}, each verified by its SHA-256."
            severity = Severity.WARNING if result.left_out else Severity.INFO
            self._messages.tell("\n".join([words, *result.left_out]), severity)

        return self.jobs.start("Exporting", job, done)

    def stores(self) -> list[tuple[Fitted, bool]]:
        """All stores of the site, and whether this camera records to each."""
        mine = self.model.camera.id
        return [(f, mine in f.cameras) for f in self._session.storage.stores]

    def keep_store(self, number: int, store: Store, here: bool) -> None:
        """Enter a store (number 0), or correct one; `here` says whether this camera records to it."""
        storage, mine = self._session.storage, self.model.camera.id
        if not number:
            storage.add_store(store, [mine] if here else [])
            return
        before = next(f for f in storage.stores if f.id == number)
        others = [i for i in before.cameras if i != mine]
        storage.change_store(number, store, sorted([*others, mine] if here else others))

    def remove_store(self, number: int) -> None:
        """Take a store out."""
        self._session.storage.remove_store(number)

    def add_readings(self, number: int | None, readings: Sequence[Reading]) -> None:
        """Keep what was read off a store, or off the camera (None)."""
        if number is None:
            facts = self.model.facts
            facts.set_readings([*facts.readings(), *readings], "read the camera off")
        else:
            self._session.storage.add_readings(number, readings)

    def remove_reading(self, number: int | None, reading: Reading) -> None:
        """Take a reading out."""
        if number is None:
            facts = self.model.facts
            facts.set_readings([r for r in facts.readings() if r != reading], "take a reading out")
        else:
            self._session.storage.remove_reading(number, reading)

    def local(self, posix_s: float) -> datetime:
        """A moment on the site's clock."""
        return self._session.local_time(posix_s)

    def moment(self, wall: datetime) -> float:
        """A wall time of the site as POSIX seconds."""
        return wall.replace(tzinfo=self._session.time_zone).astimezone(UTC).timestamp()

    def tell(self, error: GuardiaError) -> None:
        """Tell what went wrong."""
        self._messages.tell_error(error)


def _charge_lane(charge: Charge, *, of_draft: bool) -> Lane:
    on = f"charge it on {charge.charge_on}" if charge.charge_on is not None else ""
    keeps_up = charge.days.value > 3660
    note = "its panel keeps up" if keeps_up else on
    note = f"{note}; fails in {charge.failing_month}" if charge.failing_month else note
    return Lane(SIDES[of_draft], charge.days, charge.drawn.parts, note, of_draft=of_draft)


def _sent_lane(sent: Sent, *, of_draft: bool) -> Lane:
    note = f"used up on {sent.runs_out}" if sent.runs_out is not None else ""
    return Lane(SIDES[of_draft], sent.a_month, sent.a_day.parts, note, of_draft=of_draft)
