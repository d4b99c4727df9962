"""Checks of evidence against sources outside the project, each named where it is used."""

import unittest
import warnings
from datetime import UTC, datetime, timedelta
from importlib.resources import files
from pathlib import Path
from zoneinfo import ZoneInfo

import dateutil.tz
import motmetrics
import numpy as np
import statsmodels.stats.proportion
import statsmodels.stats.rates
from lxml import etree
from sklearn.metrics import adjusted_rand_score, homogeneity_score

from guardia.app.camera.makes import middle_settings, shipped_capabilities
from guardia.benchcam.record import read_truth
from guardia.benchcam.tern_quay import PLACES, right_kind
from guardia.core.base.intervals import rate_interval, wilson
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.clock import resolve
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.score.likeness import features_of, groups, likeness
from guardia.formats.mot import read_mot
from guardia.report.analytics_xml import analytics_xml
from guardia.store.project import Project
from tests.support import DEMO, TRUTH, capability

ZONES = ("Europe/London", "America/New_York", "Australia/Lord_Howe", "Asia/Kathmandu", "Africa/Casablanca")


class WallTimes(unittest.TestCase):
    def test_doubtful_hours_are_those_that_dateutil_names(self):
        """Against dateutil's own reading of the system's time zone files, every quarter of an hour of a year."""
        for name in ZONES[:-1]:  # dateutil 2.9 has the summer time of Casablanca, below zero, the wrong way round
            zone, outside = ZoneInfo(name), dateutil.tz.gettz(name)
            wall = datetime(2026, 1, 1)
            while wall.year == 2026:
                told = resolve(wall, zone)
                twice, there = dateutil.tz.datetime_ambiguous(wall, outside), dateutil.tz.datetime_exists(wall, outside)
                expected = "twice" if twice else "" if there else "never"
                self.assertEqual(told.doubt, expected, f"{name} {wall}")
                if there and not twice:
                    self.assertEqual(told.moment.astimezone(UTC), wall.replace(tzinfo=outside).astimezone(UTC))
                wall += timedelta(minutes=15)


class Boxes(unittest.TestCase):
    def test_motmetrics_reads_the_same_boxes_from_its_shipped_sequences(self):
        """Sequences TUD-Campus and TUD-Stadtmitte of the MOTChallenge, as the package motmetrics ships them."""
        for name in ("TUD-Campus", "TUD-Stadtmitte"):
            for part in ("gt.txt", "test.txt"):
                path = Path(str(files(motmetrics) / "data" / name / part))
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")  # of the outside library about its own use of pandas
                    table = motmetrics.io.loadtxt(str(path), fmt=motmetrics.io.Format.MOT15_2D)
                ours, skipped = read_mot(path, rate_hz=25.0, width_px=640, height_px=480)
                self.assertEqual(skipped, [])
                table = table[table["Confidence"] != 0].sort_index()
                self.assertEqual(len(ours.times_s), len(table))
                order = np.lexsort((ours.object_id, np.round(ours.times_s * 25)))
                frames = np.round(ours.times_s[order] * 25).astype(int) + 1
                self.assertEqual(frames.tolist(), table.index.get_level_values("FrameId").tolist())
                # motmetrics counts pixels from 0, the form from 1.
                expected = np.add(table[["X", "Y", "Width", "Height"]].to_numpy(), [1, 1, 0, 0])
                np.testing.assert_allclose(ours.box[order] * [640, 480, 640, 480], expected, atol=1e-9)


class LikenessGroups(unittest.TestCase):
    def test_groups_hold_one_kind_each_on_the_demos_truth(self):
        """Homogeneity and adjusted Rand index of scikit-learn; the truth is the bench camera's, unseen by the grouping.

        The Rand index stays low because one kind (a person near, far, walking across) makes several groups; what
        judging needs is that a group holds one kind. The weights were chosen on this very demo.
        """
        features, named, truth = {}, {}, {}
        with Project(DEMO) as project:
            for camera in project.cameras.all():
                place = next(p for p in PLACES if p.name == camera.name)
                told = read_truth(TRUTH / f"{place.slug}.jsonl")
                evidence = project.evidence(camera.id)
                for o in evidence.occurrences:
                    if evidence.clip_of(o).origin is Origin.MOTION:
                        features[o.id] = features_of(evidence, o)
                        named[o.id] = evidence.event_of[o.id].named if o.id in evidence.event_of else ""
                        truth[o.id] = right_kind(told[evidence.clip_of(o).name], o.start_s, o.end_s)
        found = groups(likeness(features, named))
        of = {i: n for n, ids in enumerate(found) for i in ids}
        labels, kinds = [of[i] for i in features], [truth[i] for i in features]
        pure = homogeneity_score(kinds, labels)
        rand = adjusted_rand_score(kinds, labels)
        print(
            f"likeness groups on the demo: {len(found)} groups, homogeneity {pure:.2f}, adjusted Rand index {rand:.2f}"
        )
        self.assertGreater(pure, 0.85)
        self.assertGreater(rand, 0.1)


class Intervals(unittest.TestCase):
    def test_intervals_are_those_of_statsmodels(self):
        for hits, total in ((0, 8), (1, 8), (3, 40), (40, 40), (7, 1000)):
            low, high = statsmodels.stats.proportion.proportion_confint(hits, total, method="wilson")
            np.testing.assert_allclose(wilson(hits, total), (max(0.0, low), min(1.0, high)), atol=1e-9)
        for count, days in ((0, 10), (1, 10), (34, 10), (250, 14)):
            expected = statsmodels.stats.rates.confint_poisson(count, days, method="exact-c")
            np.testing.assert_allclose(rate_interval(count, days), expected, atol=1e-6)


class AnalyticsXml(unittest.TestCase):
    def test_the_analytics_configuration_keeps_to_the_published_schema(self):
        """Against the ONVIF schema that the package onvif-zeep-async carries, read by lxml.

        The published file declares the types of a cell layout and of a polygon but no elements of these names, which
        its own examples use inside an item; the two declarations are added for this check.
        """
        path = Path(str(files("onvif") / "wsdl" / "onvif.xsd"))
        elements = "".join(f'<xs:element name="{n}" type="tt:{n}"/>' for n in ("CellLayout", "PolygonConfiguration"))
        text = path.read_text("utf-8").replace("</xs:schema>", f"{elements}</xs:schema>")
        parser = etree.XMLParser(no_network=True)
        document = etree.fromstring(text.encode(), parser, base_url=path.as_uri())
        schema = etree.XMLSchema(document)
        outline = PolygonZone(ZoneKind.WATCH, ((0.1, 0.1), (0.5, 0.1), (0.4, 0.6)), "walkway")
        for name in shipped_capabilities():
            make = capability(name)
            settings = middle_settings(make)
            if make.zone_form == "polygon":
                settings = settings.with_values(zones=(outline,), hold_s=make.hold_choices_s[-1])
            with self.subTest(name):
                xml = etree.fromstring(analytics_xml("Gate & Co <1>", settings, make))
                schema.assertValid(xml)
                cells = xml.xpath("//*[@Name='ActiveCells']/@Value")
                self.assertEqual(len(cells), 1)
                fields = xml.xpath("//*[@Type='tt:FieldDetector']/@Name")
                self.assertEqual(fields, ["walkway"] if make.zone_form == "polygon" else [])
        broken = etree.fromstring(analytics_xml("Gate", middle_settings(capability()), capability()))
        broken.remove(broken[0])
        self.assertFalse(schema.validate(broken), "the check can fail")
