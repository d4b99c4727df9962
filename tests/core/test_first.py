"""First settings: what they take from view, purpose and make, and that they can be entered."""

import unittest
from dataclasses import replace
from datetime import date

from guardia.app.camera.makes import shipped_capabilities, unsaid_settings
from guardia.benchcam.ground import TRUE_VIEW, known_view
from guardia.core.hours.place import SitePlace
from guardia.core.make.candidate import Candidate
from guardia.core.make.levers import NOTCH, TARGET, limits_broken
from guardia.core.make.zones import zone_cells
from guardia.core.prove.first import ADULT, DOG, first_settings
from guardia.core.purpose.patterns import PATTERN_OF, PATTERNS, begun
from guardia.core.purpose.purpose import Purpose, Wanted
from guardia.core.score.reach import ASSUMED_SHARE, Shown, reach_m
from guardia.core.storage.rules import Quality
from guardia.core.storage.stores import StoreKind
from guardia.core.trace.measure import GRID
from tests.support import capability

HERE, ON = SitePlace("Europe/London", 50.3, -4.1), date(2026, 9, 7)


def area(near_m, far_m, half_m=2.0):
    """The ground in the middle of the picture between two distances."""
    corners = ((-half_m, 0, near_m), (half_m, 0, near_m), (half_m, 0, far_m), (-half_m, 0, far_m))
    return tuple(tuple(point) for point in TRUE_VIEW.to_picture(corners).clip(0, 1).tolist())


def first_for(make, purpose, known=None):
    return first_settings(Candidate(unsaid_settings(make), make), purpose, known, place=HERE, on=ON)


def reach(make, label, thing, lamp_m=None):
    notch = make.notch(label)
    return reach_m(TRUE_VIEW, thing, contrast=notch.contrast, size=notch.size, across=False,
                   shown=Shown(ASSUMED_SHARE, 0), lamp_m=lamp_m)  # fmt: skip


class First(unittest.TestCase):
    def test_whatever_the_make_and_the_purpose_it_can_be_entered_and_says_why(self):
        for name in shipped_capabilities():
            make = capability(name)
            for pattern in PATTERNS[::4]:
                with self.subTest(name, pattern=pattern.id):
                    first = first_for(make, replace(begun(pattern, make), area=area(5, 12)), known_view())
                    self.assertEqual(limits_broken(first.candidate), [])
                    self.assertTrue(all(one.why and one.value for one in first.chosen))
                    self.assertTrue(first.candidate.settings.says_what_triggers or make.schedule.periods_a_day)
                    self.assertEqual(len(first.walks), 3)

    def test_the_level_is_the_least_that_reaches_the_far_edge(self):
        make = capability()
        purpose = Purpose(record=Wanted(("person",)))
        chosen = []
        for far in (6, 9, 14):
            first = first_for(make, replace(purpose, area=area(4, far)), known_view())
            label = first.candidate.settings.detection.notch
            least = next((n.label for n in make.notches if reach(make, n.label, ADULT) >= far - 0.01), None)
            self.assertEqual(label, least or make.notches[-1].label)
            chosen.append(int(label))
            self.assertEqual(first.walks[0].near_m, first.walks[0].far_m)
            self.assertAlmostEqual(first.walks[0].far_m, far, delta=0.2)
        self.assertEqual(chosen, sorted(chosen))
        self.assertGreater(chosen[-1], chosen[0])
        dogs = first_for(make, replace(purpose, record=Wanted(("animal_that_matters",)), area=area(4, 6)), known_view())
        self.assertGreaterEqual(reach(make, dogs.candidate.settings.detection.notch, DOG), 5.9)
        far = first_for(make, replace(purpose, area=area(4, 35)), known_view())
        self.assertIn("No level of this make reaches the far edge", " ".join(far.missing))

    def test_the_zone_holds_who_stands_on_the_ground_that_was_drawn(self):
        make = capability()
        first = first_for(make, Purpose(area=area(5, 10)), known_view())
        inside = zone_cells(first.candidate.settings.detection.zones, grid=GRID)
        for x, at_m, inside_it in ((0.0, 9.0, True), (1.5, 6.0, True), (8.0, 9.0, False), (0.0, 25.0, False)):
            for height in (0.2, 1.0) if inside_it else (0.0,):
                across, down = TRUE_VIEW.to_picture([(x, height, at_m)])[0]
                if 0 <= across < 1 and 0 <= down < 1:
                    cell = inside[int(down * GRID.rows), int(across * GRID.columns)]
                    self.assertEqual(bool(cell), inside_it, (x, at_m, height))

    def test_what_is_not_known_is_said_and_nothing_is_made_up(self):
        make = capability()
        first = first_for(make, Purpose())
        words = " ".join(first.missing)
        self.assertIn("Draw the part that matters", words)
        self.assertIn("Say what the camera sees", words)
        self.assertEqual((first.walks, first.candidate.settings.detection.zones), ((), ()))
        self.assertEqual(first.candidate.settings.detection.notch, make.notches[len(make.notches) // 2].label)
        no_place = first_settings(
            Candidate(unsaid_settings(make), make), PATTERN_OF["yard at night"].purpose, None,
            place=SitePlace("Europe/London"), on=ON,
        )  # fmt: skip
        self.assertIn("Say where the site lies", " ".join(no_place.missing))

    def test_a_filter_is_trusted_no_farther_than_it_is_said_to_hold(self):
        make = replace(capability("polygon-solar-camera"), class_range_m=(30.0, 25.0))
        purpose = Purpose(record=Wanted(("person",)), alert=Wanted(("person",)), area=area(5, 10))
        near, far = (
            first_for(
                replace(make, class_range_m=ranges), purpose, known_view()
            ).candidate.settings.alerts.alert_classes
            for ranges in ((30.0, 25.0), (12.0, 8.0))
        )
        self.assertEqual((near, far), (("person",), ()))
        nobody = first_for(make, replace(purpose, alert=Wanted()), known_view()).candidate.settings
        self.assertFalse(nobody.alerts.alerts_on)

    def test_the_quality_is_the_least_that_shows_enough_and_says_for_how_long_the_store_holds(self):
        make = capability()
        rules = replace(make.storage, qualities=(Quality("4k", 3840, 2160, 15), Quality("hd", 1280, 720, 15)))
        make = replace(make, storage=rules)
        for px_m, label in ((25.0, "hd"), (200.0, "4k"), (900.0, "4k")):
            purpose = Purpose(px_m=px_m, keep_days=14, area=area(5, 10))
            first = first_for(make, purpose, known_view())
            self.assertEqual(first.candidate.settings.storage.quality, label)
            self.assertEqual("No quality shows" in " ".join(first.missing), px_m > 800)
        why = next(one.why for one in first.chosen if one.setting == "Quality")
        # A store of G gigabytes at W Mbit/s and 30 minutes a day holds 8000 G / (60 * 30 W) days: by hand.
        days = rules.largest_gb * 8000 / (60 * 30 * rules.qualities[0].weight)
        self.assertIn(f"holds {days:.0f} days", why)

    def test_of_several_stores_the_one_that_surely_holds_the_days_asked(self):
        card, plan, copy = StoreKind.CARD, StoreKind.REMOTE, StoreKind.COPY
        for targets, days, chosen, words in (
            ((card,), 3000, card, "only store"), ((plan, card), 2, card, "even on busy days"),
            ((card, plan), 3000, plan, "a plan of at least 3000 days"), ((card, copy), 3000, card, "no store"),
            ((card, plan), None, None, ""),
        ):  # fmt: skip
            make = capability()
            make = replace(make, storage=replace(make.storage, targets=targets))
            first = first_for(make, Purpose(keep_days=days), known_view())
            said = {one.setting: one for one in first.chosen}
            self.assertEqual(TARGET.subject in said, chosen is not None)
            if chosen is not None:
                self.assertEqual(first.candidate.settings.storage.target, chosen)
                self.assertIn(words, said[TARGET.subject].why)
            self.assertEqual("On busy days" in " ".join(first.missing), words == "no store")

    def test_what_lies_beyond_the_far_edge_is_kept_out_by_the_zone_or_told(self):
        purpose = Purpose(record=Wanted(("person",)), area=area(4, 6))
        make = replace(capability(), notches=capability().notches[-1:])
        first = first_for(make, purpose, known_view())
        self.assertIn("kept out by the zone", next(one.why for one in first.chosen if one.setting == NOTCH.subject))
        without = first_for(replace(make, max_zones=0), purpose, known_view())
        self.assertIn("Without a zone somebody triggers out to", " ".join(without.missing))
        self.assertNotIn("kept out by the zone", " ".join(one.why for one in without.chosen))


if __name__ == "__main__":
    unittest.main()
