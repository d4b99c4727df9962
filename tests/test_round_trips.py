"""What is written can be read again, and says the same: judgements, readings, settings, makes, calendars."""

import json
import random
from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from guardia.app.camera.makes import make_from_file, shipped_capabilities, unsaid_settings
from guardia.app.scripted.whole_job import judge_from, judge_to
from guardia.core.base.errors import GuardiaError, InvalidValue
from guardia.core.hours.place import SitePlace
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.described import make_of
from guardia.core.make.levers import LEVERS
from guardia.core.make.settings import settings_from_dict, settings_to_dict
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.purpose.judgement import KINDS
from guardia.core.score.candidates import Scorer
from guardia.core.storage.readings import RANGES
from guardia.formats.calendar import days_calendar, read_days
from guardia.formats.plain import save_file
from guardia.formats.readings import read_readings
from guardia.report.tables import SUFFIXES, occurrence_rows, table_file
from guardia.store.project import Project
from tests.core.test_described import MENUS
from tests.support import FolderCase, capability, in_file
from tests.unlike import START, Made, make_project, trace_of

settings.register_profile("slow machines", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("slow machines")

LONDON = ZoneInfo("Europe/London")
NAMES = ("0001.mp4", "=1+1.mp4", "a, b;c.mp4", 'with "quotes".mp4', "Fußgänger.mp4", "@x.mp4", "0001.mp4")
NOTES = st.text(st.characters(exclude_categories=("C",)), max_size=40)
DAYS = st.dates(date(2026, 1, 2), date(2026, 12, 30))
ONE_LINE = st.text(st.characters(exclude_categories=("C", "Z")), min_size=1, max_size=20)


class Judgements(FolderCase):
    def setUp(self):
        super().setUp()
        rng = np.random.default_rng(1)
        made = [Made(trace_of(rng, "walker"), "person", START + 600.0 * n) for n in range(len(NAMES))]
        self.site = make_project(self.folder / "site", made)
        for number, name in enumerate(NAMES, 1):
            in_file(self.site, "UPDATE clip SET original_name = ? WHERE id = ?", (name, number))

    def kinds(self):
        with Project(self.site) as project:
            return {o.id: o.kind for o in project.evidence(1).occurrences}

    def judge(self, kinds):
        with Project(self.site) as project:
            project.occurrences.judge(kinds)

    def test_in_every_form_whatever_the_clips_are_called(self):
        chance = random.Random(1)
        for suffix in SUFFIXES:
            for _ in range(8):
                kinds = {number: chance.choice([*(k.id for k in KINDS), ""]) for number in self.kinds()}
                self.judge(kinds)
                table = self.folder / f"judged{suffix}"
                judge_to(self.site, camera="Gate", path=table)
                self.judge(dict.fromkeys(kinds, ""))
                self.assertEqual(judge_from(self.site, camera="Gate", path=table)["notes"], [])
                self.assertEqual(self.kinds(), kinds, suffix)

    def test_the_table_of_occurrences_comes_in_again_too_and_other_cameras_are_passed_over(self):
        kinds = dict(zip(self.kinds(), ("vehicle", "foliage", "person", "", "animal", "parcel", "unsure"), strict=True))
        self.judge(kinds)
        with Project(self.site) as project:
            evidence, camera = project.evidence(1), project.cameras.get(1)
        both = Scorer().compare(evidence, camera.under(camera.installed), camera.under(camera.draft))
        rows = [row for name in ("Gate", "Yard") for row in occurrence_rows(name, evidence, both)]
        for suffix in SUFFIXES:
            table = self.folder / f"all{suffix}"
            table.write_bytes(table_file(table, rows))
            self.judge(dict.fromkeys(kinds, ""))
            result = judge_from(self.site, camera="Gate", path=table)
            self.assertEqual((result["other_cameras"], result["notes"]), (len(NAMES), []))
            self.assertEqual(self.kinds(), kinds, suffix)

    def test_tables_of_other_programs_are_read_and_a_missing_header_is_told(self):
        first, second = (datetime.fromtimestamp(START + 600.0 * n, LONDON).isoformat() for n in (0, 6))
        for content, words in (
            (f"Clip;Kind;Start\ncards\\day 1\\0001.mp4;vehicle;{first}\n/x/0001.mp4;animal;{second}\n", ""),
            (f"kind\tclip\tstart\nvehicle\t0001.mp4\t{first}\nanimal\t0001.mp4\t{second}\n", ""),
            ("0001.mp4,0.2,4.0,person\n", "no column clip and kind: its first line must name"),
            ("", "is empty"),
            ("\0\0", "is not a text"),
        ):
            table = self.folder / "t.csv"
            table.write_text(content)
            self.judge(dict.fromkeys(self.kinds(), ""))
            with self.subTest(content):
                if words:
                    with self.assertRaisesRegex(InvalidValue, words):
                        judge_from(self.site, camera="Gate", path=table)
                else:
                    self.assertEqual(judge_from(self.site, camera="Gate", path=table)["notes"], [])
                    self.assertEqual([*self.kinds().values()], ["vehicle", *[""] * 5, "animal"])


class Readings(FolderCase):
    @given(
        rows=st.lists(
            st.tuples(ONE_LINE, st.integers(0, 4_000_000_000), st.sampled_from([*RANGES]), st.floats(0, 1)), min_size=1
        ),
        suffix=st.sampled_from(SUFFIXES),
    )
    @settings(max_examples=60)
    def test_in_every_form(self, rows, suffix):
        table, wanted = [], []
        for name, at, what, share in rows:
            bounds = RANGES[what]
            value = round(bounds.low + share * (bounds.high - bounds.low), 2)
            when = datetime.fromtimestamp(at, UTC)
            table.append({"of": name, "when": when.isoformat(), "what": what.value, "value": value})
            wanted.append((name, at, what, value))
        path = self.folder / f"readings{suffix}"
        path.write_bytes(table_file(path, table))
        found, skipped = read_readings(path, LONDON)
        self.assertEqual(skipped, [])
        self.assertEqual([(r.of, r.reading.at_s, r.reading.what, r.reading.value) for r in found], wanted)


class SettingsAndMakes(FolderCase):
    @given(make=st.sampled_from(shipped_capabilities()), seed=st.integers(0, 10**6), name=ONE_LINE)
    def test_settings_of_every_make(self, make, seed, name):
        chance, made = random.Random(seed), capability(make)
        values = unsaid_settings(made)
        for lever in LEVERS:
            if lever.there(made) and (choices := lever.options(made)) and chance.random() < 0.7:
                values = lever.set(values, chance.choice(choices))
        corners = ((0.125, 0.25), (0.75, 0.25), (0.5, chance.choice((0.5, 0.875))))
        values = values.with_values(zones=(PolygonZone(ZoneKind.WATCH, corners, name),))
        read = settings_from_dict(json.loads(json.dumps(settings_to_dict(values))))
        self.assertEqual(read, values)

    @given(menus=MENUS)
    def test_makes_described_by_their_menus(self, menus):
        try:
            data = make_of(menus)
        except GuardiaError:
            return
        path = self.folder / "make.json"
        save_file(path, json.dumps(data), "The make")
        try:
            again = make_from_file(path)
        except InvalidValue:  # what contradicts itself is refused in words
            return
        self.assertEqual(capability_from_dict(again), capability_from_dict(data))


class Calendars(FolderCase):
    @given(entries=st.lists(st.tuples(ONE_LINE, NOTES, DAYS), min_size=1, max_size=8, unique_by=lambda e: e[::2]))
    def test_days_with_their_titles(self, entries):
        path = self.folder / "days.ics"
        path.write_bytes(days_calendar(entries))
        found = read_days(path, SitePlace(LONDON.key, None, None), date(2026, 1, 1), date(2026, 12, 31))
        self.assertEqual(sorted(found), sorted((title, day) for title, _, day in entries))
