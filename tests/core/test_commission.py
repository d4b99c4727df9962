"""The commissioning list: what a make asks for, and what evidence verifies or contradicts."""

import math
import unittest
from dataclasses import replace

from guardia.core.evidence.clips import Origin
from guardia.core.evidence.epochs import Epoch
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.prove.commission import commissioning
from guardia.core.purpose.patterns import PATTERN_OF, begun
from guardia.core.replay.replay import replay
from guardia.core.storage.known import StorageKnown
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.stores import Fitted, Store, StoreKind
from guardia.core.view.geometry import ViewGeometry
from guardia.core.view.picture import PictureFacts
from tests.support import blob_trace, capability, evidence_of

BEGIN = 1_784_505_600.0
CARD = Store("card", StoreKind.CARD, 64.0)


class Commissioning(unittest.TestCase):
    def items(self, make="polygon-mains-camera", *, kinds=(), origins=(), dark=(), clock=0.0, picture=(0, 0), view=None,
              stores=(), readings=(), looks=None, misfits=None, purpose=None, not_known=(), **values):  # fmt: skip
        kind = capability(make)
        settings = replace(Settings.of(kind.id, kind.notches[-1].label, **values), not_known=not_known)
        traces = [blob_trace([0, *[40] * 20, 0]) for _ in kinds]
        starts = [BEGIN + 3600.0 * n for n in range(len(kinds))]
        evidence = evidence_of(traces, kinds=list(kinds), starts=starts, origin=list(origins) or Origin.MOTION)
        clips = tuple(
            replace(c, brightness=20.0 if n in dark else 120.0) for n, c in enumerate(evidence.clips)
        )  # fmt: skip
        known = StorageKnown(tuple(stores), {}, {}, tuple(readings), BEGIN + 86400.0)
        epoch = Epoch(-math.inf, math.inf, settings)
        evidence = replace(evidence, clips=clips, storage=known, epochs=(epoch,), view=view, purpose=purpose)
        done = replay(evidence, Candidate(settings, kind))
        found = commissioning(evidence, kind, done, clock_error_s=clock, picture=picture, looks=looks, misfits=misfits)
        return {item.id: item for item in found}

    def test_without_evidence_nothing_is_claimed(self):
        items = self.items()
        self.assertEqual({i.verified for i in items.values() if i.id != "set now"}, {None})
        self.assertTrue(all(i.reason for i in items.values()))
        self.assertIn("ladder", items["mounted"].caution.lower())
        self.assertIn("never write the password", items["password"].caution.lower())
        order = [i.stage for i in items.values()]
        stages = list(dict.fromkeys(order))
        self.assertEqual(order, sorted(order, key=stages.index))
        self.assertLess(stages.index("clock"), stages.index("hours"))

    def test_the_list_follows_the_make(self):
        self.assertIn("charged", self.items("battery-camera-on-hub"))
        self.assertIn("2 packs", self.items("battery-camera-on-hub")["charged"].text)
        self.assertNotIn("charged", self.items())
        self.assertIn("person", self.items()["classes"].text)
        self.assertNotIn("classes", self.items("grid-zone-recorder"))
        self.assertEqual(self.items("grid-zone-recorder")["store"].caution, "")
        self.assertIn("Power off", self.items()["store"].caution)

    def test_only_what_applies_is_asked_and_cautions_stand_where_they_do(self):
        hub, phone, solar = (
            self.items(name) for name in ("battery-camera-on-hub", "phone-as-camera", "polygon-solar-camera")
        )
        self.assertTrue("hub" in hub and "hub" not in phone and "phone camera" in phone and "phone camera" not in hub)
        self.assertIn("1 pack full", solar["charged"].text)
        self.assertNotIn("each by itself", solar["charged"].text)
        self.assertTrue("sim" in solar and "band" not in solar and "band" in hub)
        unsaid = self.items(not_known=("zones",))["set now"]
        self.assertEqual((unsaid.verified, unsaid.found), (None, "not known: zones"))
        asked = begun(PATTERN_OF["neighbour near by"], capability())
        items = self.items(purpose=asked)
        self.assertEqual((items["masks"].verified, items["masks"].found), (False, "no mask is drawn"))
        self.assertIn("Local law", items["signs"].caution)
        self.assertIn("7 days", items["gone"].text)
        self.assertIn("own people", items)
        self.assertTrue("gone" not in self.items() and "sound" not in self.items())
        heard = self.items(extras=(("microphone", "on"),))["sound"]
        self.assertEqual(heard.found, "microphone: on")
        # Straight distances of 10.07 and 11.05 m at a focal length of one picture's width: by hand.
        high = self.items(view=ViewGeometry(3.0, 15.0, 1.0), picture=(1000, 562))["height"].found
        self.assertEqual(high, "at 10 m 99 px/m from 2.5 m, 91 px/m from 6.0 m")

    def test_evidence_verifies_what_it_can(self):
        walks = [Origin.MOTION, Origin.WALK_TEST, Origin.WALK_TEST]
        items = self.items(
            kinds=["person"] * 3, origins=walks, dark={2}, picture=(2560, 1440), view=ViewGeometry(3.0, 15.0, 1.0),
            stores=[Fitted(1, CARD, (1,), (Reading(BEGIN, Measure.HEALTHY),))],
            readings=[Reading(BEGIN, Measure.SIGNAL, -61.0), Reading(BEGIN, Measure.ALERT_DELAY, 8.0)],
        )  # fmt: skip
        verified = {name for name, item in items.items() if item.verified}
        walked = {"walk test by day", "walk test in the dark"}
        self.assertLessEqual({"clock", "store", "signal", "view", "quality", "phone", "review"} | walked, verified)
        self.assertIn("measured: 8 s", items["phone"].found)

    def test_evidence_contradicts_what_was_ticked_too_soon(self):
        night = WeekPlan((Stretch(EVERY_DAY, Edge(22 * 60), Edge(24 * 60)),))
        items = self.items(
            kinds=["person", ""], clock=412.0, picture=(640, 360), detection_on=False, recording_plan=night,
            stores=[Fitted(1, CARD, (1,), (Reading(BEGIN, Measure.NOT_FORMATTED),))],
        )  # fmt: skip
        wrong = {name for name, item in items.items() if item.verified is False}
        self.assertEqual(wrong, {"clock", "store", "sensitivity", "hours"})
        self.assertIn("1 of 2 are not judged", items["review"].found)
        self.assertIn("off by 412 s", items["clock"].found)
        self.assertIn("second half", items["hours"].found)
        self.assertIn("second stream?", items["quality"].found)
        self.assertIsNone(items["quality"].verified)

    def test_pictures_files_and_what_it_hangs_on_verify_or_contradict(self):
        sound = PictureFacts(1.0, 0.5, 40.0, 0.0, 15.0, 0)
        wrong = PictureFacts(0.4, -5.0, 4.0, 0.2, 8.0, 3)
        names = ("sharp", "level", "night picture", "glare", "file times")
        quality = capability().storage.qualities[0]
        good = self.items(kinds=["person"] * 3, looks=replace(sound, frame_rate=quality.frame_rate), misfits=[])
        bad = self.items(kinds=["person"] * 3, looks=wrong, misfits=["'box' has 1 channel for 2 cameras."])
        self.assertEqual([good[n].verified for n in names], [True] * 5)
        self.assertEqual([bad[n].verified for n in names], [False] * 5)
        self.assertEqual((good["fits"].verified, bad["fits"].verified), (True, False))
        self.assertIn("1 channel for 2", bad["fits"].found)
        self.assertEqual((good["frame rate"].verified, bad["frame rate"].verified), (True, None))
        self.assertEqual(good["recording mark"].verified, True)
        self.assertIn("3 recordings since", good["recording mark"].found)
        near = self.items(kinds=["person"], picture=(1920, 1080), view=ViewGeometry(3.0, 15.0, 0.8))
        self.assertRegex(near["density"].found, r"detect out to \d+ m, .*identify out to \d+ m")
        read = self.items(readings=[Reading(BEGIN, Measure.CLOCK, -42.0)])["clock"]
        self.assertEqual((read.verified, read.found), (False, "read as -42 s off"))
