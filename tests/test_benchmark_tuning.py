"""What the table of tuning says of a camera: how far it was cut, how far it could have been, and why not further."""

import unittest

from guardia.core.make.settings import Settings
from guardia.core.tuning.tune import tune
from guardia.store.project import Project
from guardia.tools.benchmark_tuning import BAR_CUT, Came, UnseenWeek, edge_of, judged_alike, verdict_on
from tests.core.test_tuning import days_of, tried
from tests.support import DEMO, pontoon

MAKE = "polygon-mains-camera"


def came(alerts, missed):
    """A week with so many false alerts, and so many real ones of which one half each was not recorded, not alerted."""
    return Came(alerts, alerts + 2, missed // 2, missed - missed // 2)


class WhyNot(unittest.TestCase):
    def setUp(self):
        # False ones just where the real ones are: what silences them loses real ones, too.
        self.one = tune(days_of(real=3, false=4, days=6, false_column=3), tried(Settings.of(MAKE, "4")))
        self.edge = edge_of(self.one)

    def weeks(self, tuned, others):
        """Two weeks in which the installed settings alert to ten false ones and lose one."""
        others = [came(*one) for one in (*others, *[(10, 9)] * (len(self.edge) - len(others)))]
        settings = [came(*one) for one in ((10, 1), tuned)]
        return [UnseenWeek("a", seed, *settings, 5, True, True, True, *settings, tuple(others)) for seed in (1, 2)]

    def test_a_cut_that_reaches_the_bar_needs_no_reason(self):
        self.assertGreater(len(self.edge), 1)
        self.assertEqual(verdict_on(self.one, self.weeks((1, 1), [])), (0.9, 0.9, ""))

    def test_where_nothing_reaches_it_the_evidence_says_why(self):
        cut, best, why = verdict_on(self.one, self.weeks((8, 1), [(6, 1)]))
        self.assertEqual((round(cut, 2), round(best, 2)), (0.2, 0.4))
        self.assertLess(best, BAR_CUT)
        self.assertIn(self.one.why[0], why)

    def test_what_misses_more_in_hindsight_does_not_count(self):
        self.assertEqual(round(verdict_on(self.one, self.weeks((8, 1), [(0, 2)]))[1], 2), 0.2)

    def test_one_that_would_have_reached_it_was_passed_over_for_a_reason(self):
        for n, point in enumerate(self.edge):
            others = [(10, 9)] * len(self.edge)
            others[n] = (1, 1)
            why = verdict_on(self.one, self.weeks((8, 1), others))[2]
            more = point.counts.lost - self.one.tuned.lost
            self.assertIn(f"loses {more} more" if more > 0 else "less sure to keep the real ones", why)


class HalfTheKeys(unittest.TestCase):
    def test_what_is_alike_is_judged_at_once_and_what_its_likes_contradict_is_mended(self):
        with Project(DEMO) as project:
            camera = pontoon(project)
            evidence = project.evidence(camera.id)
        several = [o for o in evidence.occurrences if o.kind]
        right = {o.id: o.kind for o in several}
        few, used = judged_alike([(evidence, several)], 2)
        self.assertEqual(used, 2)
        self.assertLess(len(few), len(several))
        every, used = judged_alike([(evidence, several)], len(several) // 2)
        self.assertLessEqual(used, len(several) // 2)
        self.assertEqual(every.keys(), right.keys())
        wrong = sum(every[i] != right[i] for i in right)
        self.assertLess(wrong, 0.1 * len(right))


if __name__ == "__main__":
    unittest.main()
