import json
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np

from guardia.app.intake.event_import import take_in_boxes, take_in_list, take_in_metadata
from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.events import ColumnMapping
from guardia.formats.event_lists import guess_mapping, look_at, read_events
from guardia.formats.mot import read_mot
from guardia.formats.onvif import read_metadata
from tests.store.test_project import ProjectCase
from tests.support import FolderCase, blob_trace

LONDON = ZoneInfo("Europe/London")
NS = 'xmlns:tt="urn:t" xmlns:wsnt="urn:w"'
FRAME = (
    '<tt:Frame UtcTime="2025-09-07T00:26:4{s}.000Z"><tt:Transformation><tt:Translate x="-1" y="-1"/>'
    '<tt:Scale x="2" y="2"/></tt:Transformation><tt:Object ObjectId="7"><tt:Appearance><tt:Shape>'
    '<tt:BoundingBox left="{left}" top="0.75" right="0.75" bottom="0.25"/></tt:Shape><tt:Class>'
    '<tt:Type Likelihood="0.4">Vehicle</tt:Type><tt:Type Likelihood="0.9">Human</tt:Type></tt:Class>'
    "</tt:Appearance></tt:Object></tt:Frame>"
)
NOTICE = (
    "<wsnt:NotificationMessage><wsnt:Topic>tns1:RuleEngine/CellMotionDetector/Motion</wsnt:Topic><wsnt:Message>"
    '<tt:Message UtcTime="{at}"><tt:Source><tt:SimpleItem Name="Rule" Value="Gate"/></tt:Source><tt:Data>'
    '<tt:SimpleItem Name="IsMotion" Value="{value}"/></tt:Data></tt:Message></wsnt:Message></wsnt:NotificationMessage>'
)


class EventLists(FolderCase):
    def write(self, name: str, content: str | bytes):
        path = self.folder / name
        path.write_bytes(content.encode() if isinstance(content, str) else content)
        return path

    def read(self, path, mapping=None):
        shape = look_at(path)
        return read_events(shape, mapping or guess_mapping(shape), LONDON)

    def test_a_table_with_semicolons_decimal_commas_and_day_before_month(self):
        path = self.write(
            "a.csv",
            "Start;Length;Object;Alert sent;Area\n07/09/2026 10:41:15;12,5;Person;yes;Ramp\n"
            "25/09/2026 10:41:15;0:01:10;;no;\n",
        )
        first, second = self.read(path).events
        self.assertEqual(first.at_s, datetime(2026, 9, 7, 10, 41, 15, tzinfo=LONDON).timestamp())
        self.assertEqual((first.duration_s, first.named, first.alert, first.zone), (12.5, "person", True, "Ramp"))
        self.assertEqual((second.duration_s, second.named, second.alert), (70.0, "", False))

    def test_json_lines_with_nested_values(self):
        row = {"when": "2026-09-07T10:41:15+01:00", "info": {"class": "vehicle", "seconds": 4}, "alert": None}
        path = self.write("a.jsonl", f"{json.dumps(row)}\n\n{{broken\n[1]\n{json.dumps(row | {'when': 'soon'})}\n")
        report = self.read(path)
        self.assertEqual([(e.named, e.duration_s) for e in report.events], [("vehicle", 4.0)])
        self.assertEqual(len(report.skipped), 3)
        self.assertIn("line 3 is not JSON", report.skipped[0])

    def test_date_and_time_in_columns_of_their_own(self):
        path = self.write("a.tsv", "Date\tTime\tType\n2026-09-07\t10:41:15\tdog\n2026-09-08\t11:00:00\tcat\n")
        self.assertEqual([e.named for e in self.read(path).events], ["dog", "cat"])

    def test_encodings_and_lines_of_any_length(self):
        for encoding in ("utf-16", "cp1252", "utf-8-sig"):
            path = self.write("e.csv", "time,class\n2026-09-07 10:41:15,Fußgänger\n".encode(encoding))
            self.assertEqual(self.read(path).events[0].named, "fußgänger", encoding)
        path = self.write(
            "long.csv", "time,class\n2026-09-07 10:41:15,a\n" + "x" * 3_000_000 + "\n2026-09-07 10:42:15,b\n"
        )
        report = self.read(path)
        self.assertEqual([e.named for e in report.events], ["a", "b"])
        self.assertEqual(len(report.skipped), 1)

    def test_the_beginning_is_taken_and_no_column_hides_another(self):
        rows = (
            ("End time,Start time\n2026-09-07 10:41:25,2026-09-07 10:41:15\n", "Start time"),
            ("Start time,Start time\n2026-09-07 10:41:15,2026-09-07 11:00:00\n", "Start time"),
            ("Id,When\n1757238075,2026-09-07 10:41:15\n", "When"),
        )
        for content, column in rows:
            with self.subTest(content):
                path = self.write("b.csv", content)
                self.assertEqual(guess_mapping(look_at(path)).time, column)
                (event,) = self.read(path).events
                self.assertEqual(event.at_s, datetime(2026, 9, 7, 10, 41, 15, tzinfo=LONDON).timestamp())
        self.assertEqual(guess_mapping(look_at(self.write("id.csv", "Id,Class\n1757238075,dog\n"))).time, "")

    def test_days_and_months_that_could_be_turned_are_a_doubt(self):
        dates = "Start,Class\n05/09/2026 10:41:15,dog\n"
        self.assertIn("could be month/day", self.read(self.write("c.csv", dates)).doubts[0])
        clear = self.write("d.csv", f"{dates}25/09/2026 10:41:15,cat\n")
        self.assertEqual(self.read(clear).doubts, [])

    def test_times_say_their_zone_by_themselves_by_their_column_or_by_choice(self):
        summer = datetime(2026, 9, 7, 11, 41, 15, tzinfo=LONDON).timestamp()
        for content, doubt in (
            ("Time (UTC),Class\n2026-09-07 10:41:15,dog\n", "read as times of UTC"),
            ("When,Class\n2026-09-07 10:41:15.250 UTC,dog\n", ""),
            ("When,Class\n09/07/2026 10:41:15\u202fAM Z,dog\n", "could be day/month"),
            ("When,Class\n20260907054115-0500,dog\n", ""),
            ("To,From\n2026-09-07 10:41:25Z,2026-09-07 10:41:15Z\n", ""),
            ("created_at,Class\n2026-09-07T10:41:15Z,dog\n", "'created_at' is the time that is read"),
        ):
            with self.subTest(content):
                report = self.read(self.write("z.csv", content))
                self.assertEqual(int(report.events[0].at_s), summer)
                self.assertIn(doubt, " ".join(report.doubts) if doubt else "")
                self.assertEqual(bool(report.doubts), bool(doubt))
        plain = self.write("p.csv", "When\n2026-09-07 10:41:15\n")
        report = self.read(plain, ColumnMapping("When", "iso", clock="UTC"))
        self.assertEqual(report.events[0].at_s, summer)
        self.assertIn("choose the zone", report.doubts[0])

    def test_the_doubled_hour_is_put_in_order_whichever_way_the_list_runs(self):
        walls = ["00:50", "01:10", "01:50", "01:05", "01:40", "02:10"]
        rows = [f"2026-10-25 {wall}:00,a" for wall in walls]
        forward = [e.at_s for e in self.read(self.write("f.csv", "\n".join(["time,class", *rows]))).events]
        back = [e.at_s for e in self.read(self.write("b.csv", "\n".join(["time,class", *rows[::-1]]))).events]
        self.assertEqual(np.diff(forward).tolist(), [20 * 60, 40 * 60, 15 * 60, 35 * 60, 30 * 60])
        self.assertEqual(back, forward[::-1])

    def test_a_list_names_causes_in_its_own_words(self):
        content = "Start,Cause\n" + "".join(
            f"2026-09-07 10:4{n}:15,{word}\n"
            for n, word in enumerate(("Motion", "person detected", "Doorbell", "audio", "manual", "", "tamper"))
        )
        causes = [e.cause for e in self.read(self.write("e.csv", content)).events]
        self.assertEqual(causes, ["motion", "motion", "button", "sound", "by hand", "", "not known"])

    def test_what_is_no_list_is_refused_in_words(self):
        for name, content, words in (
            ("empty.csv", "", "empty"),
            ("clip.csv", b"\0\0\0\x18ftypmp42" * 9, "not a text"),
            ("array.jsonl", '[{"time": 1}]', "one JSON array"),
            ("head.csv", "time,class\n", "no rows"),
        ):
            with self.assertRaisesRegex(InvalidValue, words):
                look_at(self.write(name, content))
        shape = look_at(self.write("b.csv", "a,b\nx,y\n"))
        self.assertEqual(guess_mapping(shape).time, "")
        with self.assertRaisesRegex(InvalidValue, "no column is given"):
            read_events(shape, guess_mapping(shape), LONDON)
        with self.assertRaisesRegex(InvalidValue, "there is no column when"):
            read_events(shape, ColumnMapping("when", "iso"), LONDON)

    def test_many_bad_lines_are_summed_up_and_doubtful_times_told(self):
        rows = ["2026-10-25 01:50:00,maybe", "2026-10-25 01:10:00,no"] + ["never,no"] * 50
        report = self.read(
            self.write("c.csv", "time,alert\n" + "\n".join(rows) + "\n"), ColumnMapping("time", "iso", alert="alert")
        )
        self.assertEqual((len(report.events), len(report.skipped)), (2, 21))
        self.assertIn("30 more", report.skipped[-1])
        # The second time is earlier by the clock, so it belongs to the hour's second passing.
        self.assertEqual(report.events[1].at_s - report.events[0].at_s, 20 * 60)
        self.assertTrue(any("twice" in d for d in report.doubts))
        self.assertTrue(any("neither yes nor no" in d for d in report.doubts))


class OpenMetadata(FolderCase):
    def read(self, body: str):
        path = self.folder / "m.xml"
        path.write_text(f"<tt:MetadataStream {NS}>{body}</tt:MetadataStream>", "utf-8")
        return read_metadata(path)

    def test_boxes_with_their_transformation_and_likeliest_class(self):
        report = self.read(FRAME.format(s=0, left=0.5) + FRAME.format(s=1, left=0.25))
        np.testing.assert_allclose(report.boxes.box, [[0.5, 0.25, 0.25, 0.5], [0.25, 0.25, 0.5, 0.5]])
        self.assertEqual(report.boxes.named, {0: "person"})
        self.assertEqual(report.boxes.times_s.tolist(), [1_757_204_800.0, 1_757_204_801.0])

    def test_motion_begins_and_ends(self):
        at = [NOTICE.format(at=f"2026-09-07T08:00:{s}Z", value=v) for s, v in (("10", "true"), ("22", "false"))]
        (event,) = self.read("".join(at)).events
        self.assertEqual((event.duration_s, event.zone), (12.0, "Gate"))
        self.assertIsNone(self.read(at[0]).events[0].duration_s)

    def test_what_cannot_be_used_is_skipped_and_what_can_harm_is_refused(self):
        report = self.read(
            FRAME.format(s=0, left="nan")
            + FRAME.format(s=1, left=0.25)
            + NOTICE.format(at="x", value="1")
            + NOTICE.format(at="2026-09-07T08:00:10Z", value="").replace(' Value=""', "")
        )
        self.assertEqual((len(report.skipped), len(report.boxes.times_s)), (3, 1))
        bomb = self.folder / "bomb.xml"
        bomb.write_text('<!DOCTYPE b [<!ENTITY a "aa"><!ENTITY c "&a;&a;">]><b>&c;</b>', "utf-8")
        with self.assertRaisesRegex(InvalidValue, "can harm.*Nothing of it"):
            read_metadata(bomb)
        with self.assertRaisesRegex(InvalidValue, "not whole XML"):
            self.read("<tt:Frame>")


class IntoTheProject(ProjectCase):
    def test_a_list_comes_in_once_and_the_clocks_error_moves_it(self):
        project, camera = self.new_project()
        path = self.folder / "e.csv"
        path.write_text("time,class\n2026-09-07 10:41:15,person\n2026-09-07 10:50:15,\n", "utf-8")
        self.assertEqual(take_in_list(project, camera, path).added, 2)
        self.assertEqual((again := take_in_list(project, camera, path)).added, 0)
        self.assertEqual(again.known, 2)
        shown = [e.at_s for e in project.lists.events(camera)]
        project.cameras.set_clock(camera, clock_error_s=-400.0, time_pattern="")
        self.assertEqual([e.at_s - s for e, s in zip(project.lists.events(camera), shown, strict=True)], [400.0] * 2)

    def test_metadata_boxes_go_to_the_clip_of_their_time(self):
        project, camera = self.new_project()
        clip = project.clips.add(camera, self.clip_file())  # begins 2025-09-06 23:06:40 UTC
        project.clips.set_start(clip, 1_757_204_795.0, "file name")
        path = self.folder / "m.xml"
        late = FRAME.format(s=9, left=0.5)
        path.write_text(f"<tt:MetadataStream {NS}>{FRAME.format(s=0, left=0.5)}{late}</tt:MetadataStream>", "utf-8")
        told = take_in_metadata(project, camera, path)
        self.assertEqual(told.boxes, 1)
        self.assertIn("1 boxes fall into no clip", told.notes[0])
        self.assertEqual(project.lists.boxes(clip)["m.xml"].times_s.tolist(), [5.0])

    def test_boxes_in_pixels_find_their_clip_by_name(self):
        project, camera = self.new_project()
        clip = project.clips.add(camera, self.clip_file())
        path = self.folder / "a.txt"
        path.write_text("1,3,64,36,320,180,1,1,1\n2,3,64,36,320,180,0\n3,x\n4,5,0,0,-1,2,1\n", "utf-8")
        told = take_in_boxes(project, camera, path, rate_hz=25)
        self.assertEqual(len(told.notes), 2)
        boxes = project.lists.boxes(clip)["a.txt"]
        np.testing.assert_allclose(boxes.box, [[0.1, 0.1, 0.5, 0.5]])
        self.assertEqual(boxes.named, {3: "person"})
        with self.assertRaisesRegex(InvalidValue, "no clip named 'b'"):
            take_in_boxes(project, camera, path.rename(self.folder / "b.txt"), rate_hz=25)
        with self.assertRaises(InvalidValue):
            read_mot(path, rate_hz=0, width_px=1, height_px=1)

    def test_evidence_knows_the_event_about_an_occurrence(self):
        project, camera = self.new_project()
        clip = project.clips.add(camera, self.clip_file())
        trace = blob_trace([4] * 20)
        from guardia.core.evidence.clips import NewOccurrence

        project.measurements.put_analysis(clip, trace, [NewOccurrence(0, 3, [0], b"")], background=b"", brightness=40.0)
        begin = project.evidence(camera).clips[0].start_s
        path = self.folder / "e.jsonl"
        path.write_text(json.dumps({"time": begin + 1, "class": "Person"}) + "\n", "utf-8")
        take_in_list(project, camera, path)
        evidence = project.evidence(camera)
        self.assertEqual([e.named for e in evidence.event_of.values()], ["person"])
        self.assertTrue(evidence.clips[0].dark)
