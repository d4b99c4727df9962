"""The whole job without a window: a project made, judged and tuned; results are plain JSON values."""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Mapping
from dataclasses import asdict
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from guardia.app.camera.makes import capability_data, make_from_file, unsaid_settings
from guardia.app.site.exports import aspect_of
from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.evidence import Evidence
from guardia.core.hours.place import SitePlace
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.settings import Settings, settings_to_dict
from guardia.core.prove.first import first_settings
from guardia.core.purpose.patterns import PATTERN_OF, begun
from guardia.core.purpose.purpose import UNSAID, Purpose, asked_since, purpose_to_dict
from guardia.core.replay.replay import replay
from guardia.core.score.candidates import Scorer
from guardia.core.score.explain import explain
from guardia.core.score.met import met_both
from guardia.core.score.price import Price, price_words
from guardia.core.tuning.days import Counts
from guardia.core.tuning.scale import scale_words
from guardia.core.tuning.trials import Cost
from guardia.core.tuning.tune import Tuned, tune
from guardia.formats.judgements import COLUMNS, Judged, read_judgements
from guardia.formats.plain import save_file
from guardia.report.sheet import SheetContent, expected_to_dict, purpose_to_list, steps
from guardia.report.tables import table_file
from guardia.store.project import FILE_NAME, Project, made_whole
from guardia.store.records import Camera, Site

NEAR_S = 0.01
"""Times in a table are rounded; what is this near is meant."""

SAME_START_S = 0.5
"""Clips of one name that begin this near to each other are taken for one."""


def new_project(
    folder: Path, *, site: str | None, time_zone: str | None, camera: str, make: str, settings: Settings | None
) -> dict[str, Any]:
    """Make a project with one camera, or add the camera to the project that is there.

    Args:
        folder: The project's folder.
        site: Name of the site; None for that of the project that is there.
        time_zone: IANA name, likewise.
        camera: Name of the camera.
        make: Id of a shipped make, or the name of a JSON file that describes one.
        settings: Installed on it; None where nobody said.

    Returns:
        `project` and `camera`.

    Raises:
        ProjectError: If the folder cannot be made, or there is no such make.
        InvalidValue: If a name, the time zone or the settings cannot be used, or the project that is there has another
            site or time zone.
    """
    data = make_from_file(Path(make)) if make.endswith(".json") else capability_data(make)
    capability = capability_from_dict(data)
    installed = settings or unsaid_settings(capability)
    if installed.capability != capability.id:
        raise InvalidValue(
            f"The settings are of the make '{installed.capability}', the camera is a '{capability.id}'.",
            kept="Nothing was made.", do="Give settings in the words of its make.",
        )  # fmt: skip
    for dark in installed.lights:
        installed.in_light(dark=dark).sensitivity_under(capability)
    if not (folder / FILE_NAME).exists():
        if site is None or time_zone is None:
            raise InvalidValue(
                f"There is no project at {folder}, and a new one needs a site and a time zone.",
                do="Add --site NAME and --time-zone ZONE.",
            )
        with made_whole(folder, Site(site, time_zone)) as project:
            project.cameras.add(camera, data, installed)
    else:
        with Project(folder) as project:
            known = project.site()
            for what, given, its in (("site", site, known.name), ("time zone", time_zone, known.time_zone)):
                if given is not None and given != its:
                    raise InvalidValue(
                        f"The project at {folder} has the {what} '{its}', not '{given}'.",
                        kept="No camera was added.", do="Leave it out, or name another folder.",
                    )  # fmt: skip
            project.cameras.add(camera, data, installed)
    return {"project": str(folder), "camera": camera}


def camera_named(project: Project, name: str) -> Camera:
    """A camera by its name; raises InvalidValue if there is none."""
    number = next((i for i, known in project.cameras.names().items() if known == name), None)
    if number is None:
        known = ", ".join(project.cameras.names().values()) or "no camera yet"
        raise InvalidValue(f"There is no camera '{name}' in this project.", do=f"It has: {known}.")
    return project.cameras.get(number)


def judge_from(folder: Path, *, camera: str, path: Path) -> dict[str, Any]:
    """Judge the occurrences that a table names.

    Args:
        folder: The project's folder.
        camera: Name of the camera.
        path: The table, see formats.judgements.

    Returns:
        `judged`, the number of occurrences, `other_cameras`, that of rows which name another camera and were passed
        over, and `notes` on rows that no occurrence answers.

    Raises:
        InvalidValue: If the table cannot be read or there is no such camera.
    """
    rows = read_judgements(path)
    with Project(folder) as project:
        evidence = project.evidence(camera_named(project, camera).id)
        kinds: dict[int, str] = {}
        own = [row for row in rows if row.camera in ("", camera)]
        notes: list[str] = []
        for row in own:
            clips = _clips_meant(evidence, row)
            if len(clips) > 1 and row.moments is None:
                notes.append(
                    f"Line {row.line}: {len(clips)} clips are called '{row.clip}', and its start fits none of them; "
                    "nothing was judged by it."
                )
                continue
            low, high = row.begin_s - NEAR_S, row.end_s + NEAR_S
            if row.moments is not None:
                low, high = (at.timestamp() + by for at, by in zip(row.moments, (-NEAR_S, NEAR_S), strict=True))
            spans = {
                o.id: evidence.span_s(o) if row.moments else (o.start_s, o.end_s)
                for o in evidence.occurrences if o.clip_id in clips
            }  # fmt: skip
            ids = [number for number, (begin, end) in spans.items() if begin <= high and low <= end]
            kinds |= dict.fromkeys(ids, row.kind)
            if not ids:
                until = f"from {row.begin_s} to {row.end_s} s" if math.isfinite(row.end_s) else "at any time"
                notes.append(f"Line {row.line}: nothing moved in '{row.clip}' {until}.")
        project.occurrences.judge(kinds)
    return {"judged": len(kinds), "other_cameras": len(rows) - len(own), "notes": notes}


def _clips_meant(evidence: Evidence, row: Judged) -> list[int]:
    """The clip that a row names; all of that name where its start does not tell which."""
    name = row.clip.replace("\\", "/").rpartition("/")[2]  # a path names the file, too
    named = [c for c in evidence.clips if c.name in (row.clip, name)]
    if len(named) < 2 or row.start is None:
        return [c.id for c in named]
    start = row.start if row.start.tzinfo else row.start.replace(tzinfo=ZoneInfo(evidence.time_zone))
    near = [c.id for c in named if abs(c.start_s - start.timestamp()) < SAME_START_S]
    return near or [c.id for c in named]


def judge_to(folder: Path, *, camera: str, path: Path) -> dict[str, Any]:
    """Write the judgements of a camera as a table; raises as judge_from(), and ProjectError if it cannot be written."""
    with Project(folder) as project:
        evidence = project.evidence(camera_named(project, camera).id)
    zone = ZoneInfo(evidence.time_zone)
    rows: list[Mapping[str, str | float]] = []
    for o in evidence.occurrences:
        clip = evidence.clip_of(o)
        start = datetime.fromtimestamp(clip.start_s, zone).isoformat(timespec="milliseconds")
        cells = (clip.name, start, round(o.start_s, 3), round(o.end_s, 3), o.kind)
        rows.append(dict(zip(COLUMNS, cells, strict=True)))
    save_file(path, table_file(path, rows), "The table")
    return {"written": len(rows), "file": str(path)}


def camera_sheet(folder: Path, *, camera: str, settings: Settings | None) -> SheetContent:
    """The settings sheet of a camera's draft, or of other settings in its place; nothing is changed.

    Args:
        folder: The project's folder.
        camera: Name of the camera.
        settings: In place of the draft; None for the draft.

    Returns:
        What the sheet says.

    Raises:
        InvalidValue: If there is no such camera, or the settings are of another make.
    """
    with Project(folder) as project:
        one, site = camera_named(project, camera), project.site()
        draft = settings or one.draft
        if draft.capability != one.capability.id:
            raise InvalidValue(
                f"The settings are of the make '{draft.capability}', {camera} is a '{one.capability.id}'.",
                do="Give settings in the words of its make.",
            )
        evidence, scorer = project.evidence(one.id), Scorer()
        comparison = scorer.compare(evidence, one.under(one.installed), one.under(draft))
        known = (
            scale_words(scorer.anchor(evidence, one.capability).scale, draft.detection.notch),
            explain(evidence, cache(lambda s: replay(evidence, one.under(s)))).words,
        )
        made = datetime.now(project.zone)
        return SheetContent(
            site.name,
            site.time_zone,
            one.name,
            one.capability,
            draft,
            comparison,
            made,
            met_both(evidence, comparison),
            " ".join(filter(None, known)),
            aspect_of(project.clips.size(evidence.clips[0].id) if evidence.clips else (0, 0)),
        )


def camera_purpose(
    folder: Path, *, camera: str, pattern: str = "", purpose: Purpose | None = None, nothing: bool = False
) -> dict[str, Any]:
    """What a camera is for, met or not, after another purpose was given it.

    Args:
        folder: The project's folder.
        camera: Its name.
        pattern: Id of a pattern to begin from; empty for none.
        purpose: Asked from now on; None for what is asked already.
        nothing: Ask nothing of it any more.

    Returns:
        `purpose` as a purpose file, null where nobody said, and `lines`, as on the settings sheet.

    Raises:
        InvalidValue: If there is no such camera.
    """
    with Project(folder) as project:
        one = camera_named(project, camera)
        new = begun(PATTERN_OF[pattern], one.capability) if pattern else purpose
        if new is not None or nothing:
            asked = asked_since(project.things.purposes(one.id), None if nothing else new, time.time())
            project.things.set_purposes(one.id, asked)
        evidence = project.evidence(one.id)
        comparison = Scorer().compare(evidence, one.under(one.installed), one.under(one.draft))
        now = evidence.purpose
        lines = purpose_to_list(met_both(evidence, comparison))
        return {"camera": camera, "purpose": None if now is None else purpose_to_dict(now), "lines": lines}


def first_of_camera(folder: Path, *, camera: str, save: bool) -> dict[str, Any]:
    """First settings for a camera, from what it is for, its view and its make.

    Args:
        folder: The project's folder.
        camera: Its name.
        save: Keep them as the draft.

    Returns:
        `settings` (each with its `value` and `why`), `walks`, `missing`, `draft` as a settings file, and `saved`.

    Raises:
        InvalidValue: If there is no such camera.
    """
    with Project(folder) as project:
        one, site = camera_named(project, camera), project.site()
        asked = project.things.purposes(one.id)
        first = first_settings(
            one.under(one.draft), (asked[-1].purpose if asked else None) or UNSAID, one.view,
            place=SitePlace(site.time_zone, site.latitude, site.longitude),
            on=datetime.now(ZoneInfo(site.time_zone)).date(),
        )  # fmt: skip
        if save:
            project.settings.save_draft(one.id, first.candidate.settings)
    return {
        "camera": camera, "settings": [asdict(chosen) for chosen in first.chosen],
        "walks": [walk.words for walk in first.walks], "missing": list(first.missing),
        "draft": settings_to_dict(first.candidate.settings), "saved": save,
    }  # fmt: skip


def tune_camera(
    folder: Path,
    *,
    camera: str,
    miss_cost: float,
    kinds: Mapping[str, float],
    hold_out: int,
    unseen: bool,
    save: bool,
    tried: Callable[[int], None],
) -> dict[str, Any]:
    """Search better settings for a camera.

    Args:
        folder: The project's folder.
        camera: Its name.
        miss_cost: What a missed real occurrence costs, a false recording costing 1; above 0.
        kinds: Factors on that for single kinds of occurrence, by their ids.
        hold_out: So many of the last days are kept out and the choice is counted on them; 0 leaves days out in turn.
        unseen: Also choose what motion clips cannot show the whole price of.
        save: Keep what is chosen as the draft.
        tried: Called with the number of settings tried so far.

    Returns:
        As described in docs/formats.md.

    Raises:
        InvalidValue: If there is no such camera or a number cannot be used.
    """
    if not all(0 < cost <= 10_000 for cost in (miss_cost, *kinds.values())) or hold_out < 0:
        raise InvalidValue("Costs must be above 0 and at most 10000, and days held out cannot be negative.")
    with Project(folder) as project:
        one = camera_named(project, camera)
        evidence = project.evidence(one.id)
        cost = Cost(miss=miss_cost, by_kind=kinds)
        tuned = tune(
            evidence, one.under(one.installed), draft=one.draft, cost=cost, hold_out=hold_out,
            unseen=unseen, tried=tried,
        )  # fmt: skip
        if save:
            project.settings.save_draft(one.id, tuned.chosen.settings)
    return {"camera": camera, "miss_cost": miss_cost, "saved": save, **tuned_to_dict(tuned)}


def tuned_to_dict(found: Tuned) -> dict[str, Any]:
    """Plain JSON form of what tuning found, as described in docs/formats.md."""
    week = found.week
    return {
        "answer": found.answer.name.lower(),
        "why": list(found.why),
        "settings": settings_to_dict(found.chosen.settings),
        "enter": steps(found.chosen.settings, found.chosen.capability),
        "installed": _counts(found.installed),
        "tuned": _counts(found.tuned),
        "held_out": _counts(found.held_out) if found.held_out else None,
        "installed_held_out": _counts(found.installed_held_out) if found.installed_held_out else None,
        "cost": {name: _price(one) for name, one in zip(("installed", "tuned"), found.price, strict=True)}
        | {"words": price_words(*found.price)},
        "margin": found.margin,
        "coming_week": None
        if week is None
        else {
            name: expected_to_dict(number)
            for name, number in zip(("false", "missed", "false_alerts"), week, strict=True)
        },
        "single_levers": [
            {"change": words, "false_at_least": more, **_counts(counts)} for words, counts, more in found.singles
        ],
        "trade_off": [
            {**_counts(p.counts), "settings": settings_to_dict(p.candidate.settings)} for p in found.points if p.best
        ],
        "plan": [{"change": s.words, **_counts(s.counts)} for s in found.plan],
        "scale_band": [_counts(c) for c in found.band] if found.band else None,
        "judge_next": list(found.telling),
        "tried": found.tried,
    }


def _price(price: Price) -> dict[str, Any]:
    return {
        "false_alerts_per_day": price.false_alerts,
        "real_not_alerted": price.unalerted,
        "recorded_s_per_day": price.recorded_s,
        "kept_days": price.kept_days,
        "charge_days": None if price.charge_days is None or math.isinf(price.charge_days) else price.charge_days,
        "kept": price.kept_words,
        "charge": price.charge_words,
    }


def _counts(counts: Counts) -> dict[str, Any]:
    return {
        **asdict(counts), "false_per_day": counts.false_per_day, "false_alerts_per_day": counts.false_alerts_per_day,
        "missed_share": counts.missed_share,
    }  # fmt: skip
