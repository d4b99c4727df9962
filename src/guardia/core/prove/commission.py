"""The commissioning list: what is to be done on a camera in the order of the work, why, and what evidence verifies.

Generated from the make, the settings and what is known; what software can verify is verified, not ticked. The order and
the facts of the trade are common practice without a source.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from guardia.core.base.distances import density, distance
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.hours.periods import from_periods, to_periods
from guardia.core.make.capability import Capability
from guardia.core.make.levers import unknown_words
from guardia.core.make.settings import Settings
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.replay.replay import Replay
from guardia.core.replay.silence import silences
from guardia.core.score.met import asked_words
from guardia.core.score.storage_findings import storage_findings
from guardia.core.storage.readings import SIGNALS, Measure, alert_delay
from guardia.core.storage.stores import StoreKind
from guardia.core.view.geometry import LADDER
from guardia.core.view.picture import DARK_LUMA, GLARE_SHARE, SOFT, TURNED_DEG, PictureFacts

CLOCK_ERROR_S = 5.0
"""A clock this far off is put right (common practice, no source)."""

FRAMES_OFF = 0.1
"""A frame rate within this share of what was ordered is as ordered (no source)."""

RATE_FACTOR = 2.0
"""Files within this factor of the bit rate ordered are as ordered: scenes differ (common practice, no source)."""


PHONE = "phone"
"""In the id of a make: a phone that is a camera."""

HEIGHTS_M, CHEST_M, AT_M = (2.5, 6.0), 1.3, 10.0
"""Low and high mounting, what it looks at, and from how far, metres (common practice, no source)."""

NEIGHBOURS = "neighbour near by"
"""Id of the pattern of purpose that says so."""

SOUND = ("sound", "micro")
"""In names of settings that have to do with hearing."""


class Tick(StrEnum):
    """What somebody says of an item."""

    OPEN = "not done"
    DONE = "done"
    NOT_HERE = "does not apply"


@dataclass(frozen=True)
class Item:
    """One thing to do."""

    id: str
    """Stable word."""
    stage: str
    """The stage of the work that it belongs to."""
    text: str
    """What to do."""
    reason: str
    """Why."""
    caution: str = ""
    """What to beware of, empty where nothing."""
    found: str = ""
    """What evidence says of it, empty where it says nothing."""
    verified: bool | None = None
    """Whether evidence shows it done; None where it cannot tell."""


def commissioning(
    evidence: Evidence,
    make: Capability,
    done: Replay,
    *,
    clock_error_s: float,
    picture: tuple[int, int],
    looks: PictureFacts | None = None,
    misfits: Sequence[str] | None = None,
) -> list[Item]:
    """The list for one camera.

    Args:
        evidence: Of the camera; may be empty.
        make: Its make.
        done: Replay of its installed settings.
        clock_error_s: What its clock shows less the true time, seconds.
        picture: Width and height of its pictures, pixels; 0 while there are none.
        looks: What its latest pictures tell; None while they were not looked at.
        misfits: What does not fit on what it hangs on; None where nothing is entered.

    Returns:
        In the order of the work.
    """
    settings = done.candidate.settings
    return [
        _purpose(evidence),
        *_bench(make),
        _set_now(settings),
        _fits(misfits),
        _clock(evidence, clock_error_s),
        _file_times(looks),
        *_store(make, done),
        *_place(evidence),
        *_picture(evidence, looks),
        _density(evidence, picture[0]),
        _heights(evidence, picture[0]),
        _quality(make, settings, picture),
        *_recording(evidence, make, settings, looks),
        *_detection(make, settings),
        *_hours(make, settings, evidence),
        *_alerts(evidence),
        *_walks(evidence),
        *_privacy(evidence, make, settings),
        _review(evidence),
    ]


def _purpose(evidence: Evidence) -> Item:
    asked = None if evidence.purpose is None else asked_words(evidence.purpose)
    found = "" if asked is None else f"{count_of(len(asked), 'thing')} asked of it"
    text, reason = "Say what the camera is for (Purpose)", "settings are right or wrong by that alone"
    return Item("purpose", "on the bench", text, reason, found=found, verified=True if asked else None)


def _bench(make: Capability) -> list[Item]:
    rules = make.storage
    items = [
        Item("contents", "on the bench", "Check that the parcel is complete; write the serial number down",
             "identical cameras get mixed up"),
        Item("firmware", "on the bench", "Bring the firmware up to date", "an update later may reset the settings"),
        Item("password", "on the bench", "Change the default password, make separate accounts",
             "a default password left on is the first thing that is tried",
             "Never write the password here: say only where it is kept."),
        Item("paired", "on the bench", "Power and pair it beside the recorder; wait for the ready light",
             "pairing windows are short; nobody should stand on a ladder for them",
             "Mains wiring is for licensed electricians."),
    ]  # fmt: skip
    if StoreKind.HUB in rules.targets:
        items.insert(2, Item("hub", "on the bench", "Set up the hub first and see it online, then pair its cameras",
                             "without its hub a camera records nothing"))  # fmt: skip
    if rules.mobile:
        items.append(Item("sim", "on the bench", "SIM in, its PIN off, data credit on it, access point entered",
                          "without credit it records, but nobody hears of it"))  # fmt: skip
    elif StoreKind.RECORDER not in rules.targets:
        items.append(Item("band", "on the bench", "Where it is on Wi-Fi: the 2.4 GHz band, and its name without blanks",
                          "many radios know no other band (common practice)"))  # fmt: skip
    if rules.power is not None:
        caution = "No charging below freezing, no damaged packs."
        several = rules.power.packs > 1
        text = f"Charge {count_of(rules.power.packs, 'pack')} full{', each by itself' if several else ''}"
        reason = "one empty pack hides behind the other" if several else "mounted half full, it fails in half the time"
        items.append(Item("charged", "on the bench", text, reason, caution))
    if PHONE in make.id:
        items.append(Item("phone camera", "on the bench", "It starts its camera by itself after a power cut; it stays "
                          "cool while it charges", "a phone that waits for a finger records nothing",
                          "No swollen battery, nothing that covers it, no sun behind glass."))  # fmt: skip
    return items


def _set_now(settings: Settings) -> Item:
    """Whether somebody said how it is set."""
    unknown = unknown_words(settings)
    return Item("set now", "on the bench", "Say how it is set now (Camera, As it is now)",
                "figures start from what the camera really is set to",
                found=f"not known: {unknown}" if unknown else "known", verified=None if unknown else True)  # fmt: skip


def _heights(evidence: Evidence, width_px: int) -> Item:
    """What mounting low and high costs in pixels, at one distance."""
    view, seen = evidence.view, ""
    if view is not None and width_px:
        at_m = AT_M if math.isinf(view.farthest_m) else min(AT_M, view.farthest_m)
        # The camera looks at a chest there: the pixels go by the straight distance alone.
        low, high = (view.focal * width_px / math.hypot(at_m, height - CHEST_M) for height in HEIGHTS_M)
        each = [f"{density(px_m)} from {distance(at, 1)}" for px_m, at in zip((low, high), HEIGHTS_M, strict=True)]
        seen = f"at {distance(at_m)} {', '.join(each)}"
    return Item("height", "placement", "Low and near for faces, or high and clear of obstacles",
                "from high above a face is a crown of hair", found=seen)  # fmt: skip


def _privacy(evidence: Evidence, make: Capability, settings: Settings) -> list[Item]:
    """What local law may ask, where it applies."""
    purpose = evidence.purpose
    law = "Local law decides; ask where you are not sure."
    masks = sum(isinstance(z, PolygonZone) and z.kind is ZoneKind.MASK for z in settings.detection.zones)
    near_by = purpose is not None and purpose.pattern == NEIGHBOURS
    if make.privacy_masks:
        text = "Neighbours' and public ground in the picture: black it out (Zones, Mask)"
        found = count_of(masks, "mask") if masks else "no mask is drawn" if near_by else ""
        verified = True if masks else False if near_by else None
    else:
        text = "No neighbours' or public ground in the picture: this make cannot black it out"
        found, verified = "", None
    items = [
        Item("signs", "privacy", "Signs where they are required, before anybody walks in",
             "people have to know that they are filmed", law),
        Item("masks", "privacy", text, "other people's ground is not yours to film", law, found, verified),
    ]  # fmt: skip
    heard = [f"{name}: {choice}" for name, choice in settings.other.extras if any(word in name for word in SOUND)]
    if heard or any(word in extra.name for extra in make.extras for word in SOUND):
        items.append(Item("sound", "privacy", "Sound off, unless its recording is allowed",
                          "recording what people say is regulated more strictly than pictures", law,
                          ", ".join(heard)))  # fmt: skip
    if purpose is not None and "expected" in purpose.record.kinds:
        text = "Staff, guests and children indoors: informed, and agreed with who speaks for them"
        items.append(Item("own people", "privacy", text, "they are filmed every day", law))
    if purpose is not None and purpose.gone_days is not None:
        items.append(Item("gone", "privacy", f"Footage gone after {purpose.gone_days:g} days, copies and exports too",
                          "what is kept too long may be held against you", law))  # fmt: skip
    items.append(Item("exports", "privacy", "Write down who gets an exported clip, and why",
                      "an original that left the house is no longer yours to delete"))  # fmt: skip
    return items


def _clock(evidence: Evidence, clock_error_s: float) -> Item:
    seen, verified = "", None
    read = [r.value for r in evidence.storage.readings if r.what is Measure.CLOCK and r.value is not None]
    if read:
        verified = abs(read[-1]) <= CLOCK_ERROR_S
        seen = f"read as {read[-1]:+.0f} s off"
    elif evidence.clips:
        verified = abs(clock_error_s) <= CLOCK_ERROR_S
        seen = f"its clock is off by {clock_error_s:.0f} s" if not verified else "no error of the clock is known"
    return Item("clock", "clock", "Time zone, date, 24 hours, automatic time", "every schedule and clip is based on it",
                found=seen, verified=verified)  # fmt: skip


def _file_times(looks: PictureFacts | None) -> Item:
    seen, verified = "", None
    if looks is not None and looks.guessed is not None:
        verified = looks.guessed == 0
        seen = f"{count_of(looks.guessed, 'clip')} whose beginning is known from the date of its file only"
        seen = "it is known when every clip began" if verified else seen
    return Item("file times", "clock", "Files bear their time: by their names or by what they hold",
                "the date of a copied file is that of the copy", found=seen, verified=verified)  # fmt: skip


def _store(make: Capability, done: Replay) -> list[Item]:
    known = done.keeping.known
    serious = [f for f in storage_findings(done) if f.serious]
    states = [r for f in known.stores for r in f.readings if r.what in (Measure.HEALTHY, Measure.FREE)]
    verified = None if not known.stores else not serious and (True if states else None)
    seen = serious[0].words if serious else "read off and in order" if states else ""
    removable = StoreKind.CARD in make.storage.targets or StoreKind.HUB in make.storage.targets
    return [
        Item(
            "store", "store", "Seat it, format it in the device, see it healthy; overwriting on, the right target",
            "the wrong target is often left chosen, and then nothing seems to be recorded",
            "Power off before a medium goes in or out." if removable else "", seen, verified,
        )
    ]  # fmt: skip


def _place(evidence: Evidence) -> list[Item]:
    view = evidence.view
    signal = [r for r in evidence.storage.readings if r.what in SIGNALS and r.value is not None]
    weak = "walls and distance eat it; where it is weak: nearer, another channel, a better aerial, pair again"
    ladder = "Ladder: a second person; no work on live mains. Filming of neighbours and sound: local law decides."
    return [
        Item("signal", "placement", "Check the signal at its place, not on the bench", weak,
             found=f"read as {signal[-1].words}" if signal else "",
             verified=True if signal else None),
        Item("mounted", "placement", "Mount it as low as is out of reach; nothing moving or close in the picture",
             "branches and webs trigger it, glass reflects its lamp at night", ladder),
        Item("view", "placement", "Calibrate its view: two standing persons, or the walk test",
             "reach and pixel density are based on it",
             found="calibrated" if view is not None else "", verified=True if view is not None else None),
    ]  # fmt: skip


def _fits(misfits: Sequence[str] | None) -> Item:
    seen = "" if misfits is None else misfits[0].rstrip(".") if misfits else "nothing that is known speaks against it"
    return Item("fits", "on the bench", "Channels, megapixels, current, upload and medium suit what it is connected to",
                "what does not fit is cheaper found before it is mounted", found=seen,
                verified=None if misfits is None else not misfits)  # fmt: skip


def _picture(evidence: Evidence, looks: PictureFacts | None) -> list[Item]:
    """Sharp, level, the planned view, lit at night, free of glare: what its pictures tell."""
    nothing: tuple[bool | None, str] = (None, "")
    sharp = level = lit = bare = nothing
    if looks is not None and looks.sharp is not None:
        sharp = (looks.sharp >= SOFT, f"its latest pictures are {looks.sharp:.0%} as sharp as its planned view")
    if looks is not None and looks.turned is not None:
        moved = len(evidence.other_views)
        away = f", {count_of(moved, 'clip')} of another view" if moved else ""
        level = (abs(looks.turned) <= TURNED_DEG and not moved, f"turned by {looks.turned:+.1f}°{away}")
    if looks is not None and looks.lit is not None and looks.burnt is not None:
        lit = (looks.lit >= DARK_LUMA, f"at night its pictures have {looks.lit:.0f} of 255")
        words = f"{looks.burnt:.1%} burnt out in one piece" if looks.burnt >= GLARE_SHARE else "no glare of its lamp"
        bare = (looks.burnt < GLARE_SHARE, words)
    return [
        Item("sharp", "placement", "Picture sharp: lens clean, film off, in focus", "a soft picture names nobody",
             found=sharp[1], verified=sharp[0]),
        Item("level", "placement", "Picture level and as planned", "zones and distances are based on this view",
             found=level[1], verified=level[0]),
        Item("night picture", "placement", "Night picture lit as far as it is needed", "the lamp may reach too short",
             found=lit[1], verified=lit[0]),
        Item("glare", "placement", "Its lamp not reflected by glass, wall or web", "glare blinds it, webs trigger it",
             found=bare[1], verified=bare[0]),
    ]  # fmt: skip


def _density(evidence: Evidence, width_px: int) -> Item:
    """How far the pixels suffice, where view and picture are known."""
    view, seen, least = evidence.view, "", dict(LADDER)
    if view is not None and width_px:
        reached = [(name, view.distance_for(px_m, width_px)) for name, px_m in LADDER[1:5]]
        seen = ", ".join(f"{name} out to {distance(at)}" for name, at in reached if at > 0)
    return Item("density", "placement", "Enough pixels on somebody at the distance that matters",
                f"detecting takes {density(least['detect'])}, naming somebody {density(least['identify'])}",
                found=seen)  # fmt: skip


def _recording(evidence: Evidence, make: Capability, settings: Settings, looks: PictureFacts | None) -> list[Item]:
    """Frame rate, bit rate, that it records at all, and gaps, from the files."""
    quality = make.storage.quality(settings.storage.quality)
    sized = [c for c in evidence.clips if c.size_bytes and c.duration_s > 1]
    rate, right = "", None
    if quality is not None and quality.mbit_s and sized:
        got = sum(c.size_bytes for c in sized) * 8e-6 / sum(c.duration_s for c in sized)
        right = True if 1 / RATE_FACTOR <= got / quality.mbit_s <= RATE_FACTOR else None
        rate = f"{got:.2f} Mbit/s in its files, ordered are {quality.mbit_s:g}"
    pace, paced = "", None
    if quality is not None and quality.frame_rate and looks is not None and looks.frame_rate is not None:
        paced = True if abs(looks.frame_rate - quality.frame_rate) <= FRAMES_OFF * quality.frame_rate else None
        pace = f"{looks.frame_rate:.1f} pictures a second in its latest clip, ordered are {quality.frame_rate:g}"
    entered = evidence.epochs[-1].from_s if evidence.epochs else -math.inf
    since = sum(clip.start_s >= entered for clip in evidence.motion_clips)
    silent = silences(evidence)
    gaps = f"{count_of(len(silent), 'silence')} that chance hardly explains, see Prove" if silent else ""
    return [
        Item("recording mark", "recording", "See the recording mark on the live picture, and a recording of it",
             "a camera that shows a picture need not record", verified=True if since else None,
             found=f"{count_of(since, 'recording')} since its settings were entered" if since else ""),
        Item("frame rate", "recording", "Frame rate as ordered", "in the dark it may fall by itself", found=pace,
             verified=paced),
        Item("bit rate", "recording", "Bit rate as ordered", "a lower one fills less and shows less", found=rate,
             verified=right),
        Item("gaps", "recording", "No gap in what is recorded", "a weak link or a worn card loses pieces",
             found=gaps or ("none that chance does not explain" if evidence.clips else ""),
             verified=None if not evidence.clips else (True if not silent else None)),
    ]  # fmt: skip


def _quality(make: Capability, settings: Settings, picture: tuple[int, int]) -> Item:
    quality = make.storage.quality(settings.storage.quality)
    seen, verified = "", None
    if quality is not None and picture[0]:
        same = picture == (quality.width, quality.height)
        said = f"its clips are {picture[0]} x {picture[1]}"
        seen = (
            f"{said}, as chosen" if same else f"{said}, chosen is {quality.width} x {quality.height}: a second stream?"
        )
        verified = True if same else None
    return Item("quality", "recording", "Resolution, frame rate and bit rate as ordered",
                "the live picture may differ from the recording", found=seen, verified=verified)  # fmt: skip


def _detection(make: Capability, settings: Settings) -> list[Item]:
    on = settings.detection.detection_on
    items = [
        Item("zones", "zones", "Draw what to watch, or leave out what must not trigger",
             "what lies outside is never recorded by motion",
             found=count_of(len(settings.detection.zones), "zone") if settings.detection.zones else ""),
        Item("sensitivity", "sensitivity", "Set the sensitivity by what was recorded", "bigger things need less of it",
             found="" if on else "motion detection is switched off", verified=None if on else False),
    ]  # fmt: skip
    if make.object_classes:
        items.append(Item("classes", "sensitivity", f"Choose classes: {', '.join(make.object_classes)}, or any motion",
                          "a filter is only as good as its range"))  # fmt: skip
    return items


def _hours(make: Capability, settings: Settings, evidence: Evidence) -> list[Item]:
    if not make.schedule.periods_a_day:
        return []
    plan = settings.hours.recording_plan
    found, verified = "", None
    if plan is not None and not plan.follows_sun:
        mistakes = from_periods(to_periods(plan, make.schedule, evidence.place, evidence.dates[0]).periods).findings
        found, verified = (mistakes[0], False) if mistakes else ("no half of a night is missing", True)
    return [Item("hours", "hours", "Recording hours, alert hours, modes; both halves of every night switched on",
                 "a night without its second half is a common mistake", found=found, verified=verified)]  # fmt: skip


def _alerts(evidence: Evidence) -> list[Item]:
    delay = alert_delay(evidence.storage.readings)
    tests = [r.value for r in evidence.storage.readings if r.what is Measure.ALERT_DELAY]
    seen = "the last test never came" if tests and tests[-1] is None else delay.words if delay is not None else ""
    return [
        Item("who is alerted", "alerts", "Who is alerted, how and how often",
             "a phone that is alerted too often is muted"),
        Item("phone", "alerts", "Phone: permission given, no battery saver, not muted; one alert tested",
             "a battery saver kills the alerts unnoticed", found=seen,
             verified=tests[-1] is not None if tests else None),
    ]  # fmt: skip


def _walks(evidence: Evidence) -> list[Item]:
    walks = [c for c in evidence.clips if c.origin is Origin.WALK_TEST]
    items = []
    for dark, light in ((False, "by day"), (True, "in the dark")):
        mine = [c for c in walks if c.dark is dark]
        text = f"{light.capitalize()}: near and far, towards and across; the very act"
        items.append(
            Item(f"walk test {light}", "walk test", text,
                 "look at the recorded clip, not only at the alert", found=count_of(len(mine), "clip") if mine else "",
                 verified=True if mine else None)
        )  # fmt: skip
    return items


def _review(evidence: Evidence) -> Item:
    unjudged = sum(not o.kind for o in evidence.occurrences)
    verified = True if evidence.occurrences and not unjudged else None
    seen = f"{unjudged} of {len(evidence.occurrences)} are not judged yet" if unjudged else ""
    return Item("review", "review", "After days of real life: judge what was recorded, change one thing at a time",
                "a system runs for months unattended, and a fault as long", found=seen, verified=verified)  # fmt: skip
