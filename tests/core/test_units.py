"""What cameras hang on: what does not fit is said, what is not known is asked for."""

import math
import unittest

from guardia.core.base.errors import InvalidValue
from guardia.core.storage.figure import exactly
from guardia.core.storage.stores import Fitted, Store, StoreKind
from guardia.core.storage.units import Load, Unit, UnitKind, misfits, not_known


def sends(mbit_s):
    return exactly("rate", mbit_s, "Mbit/s")


class Fits(unittest.TestCase):
    def test_each_limit_is_held_against_what_hangs_on_it(self):
        cameras = [Load("gate", 8.3, 0.9, sends(4)), Load("quay", 2.1, 0.5, sends(3)), Load("door")]
        disk = [Fitted(1, Store("disk", StoreKind.RECORDER, 8000.0)), Fitted(2, Store("card", StoreKind.CARD, 9e5))]
        for unit, word in (
            (Unit("box", UnitKind.RECORDER, channels=2), "2 channels for 3 cameras"),
            (Unit("box", UnitKind.RECORDER, megapixels=5.0), "gate (8.3) will not do"),
            (Unit("box", UnitKind.RECORDER, medium_gb=6000.0), "'disk' has 8000 GB"),
            (Unit("psu", UnitKind.SUPPLY, current_a=1.0), "draw 1.40 A"),
            (Unit("line", UnitKind.LINE, upload_mbit_s=6.0), "send 7.0 at once"),
        ):
            with self.subTest(word):
                self.assertIn(word, " ".join(misfits(unit, cameras, disk)))
        just = Unit("box", UnitKind.RECORDER, channels=3, megapixels=8.3)
        self.assertEqual(misfits(just, cameras, disk), [], "as many and as large as it takes")
        roomy = Unit("box", UnitKind.RECORDER, 4, 12.0, 10_000.0, 3.0, 20.0)
        self.assertEqual(misfits(roomy, cameras, disk), [])
        self.assertEqual(not_known(roomy, cameras), ["the current of door", "the picture size of door"])
        self.assertEqual(misfits(Unit("yard", UnitKind.GROUP), cameras, disk), [])

    def test_what_cannot_be_is_refused(self):
        for values in ({"channels": 0}, {"current_a": -1.0}, {"upload_mbit_s": math.inf}, {"medium_gb": math.nan}):
            with self.subTest(values), self.assertRaises(InvalidValue):
                Unit("box", UnitKind.RECORDER, **values)
        for name in ("  ", "x" * 101):
            with self.assertRaises(InvalidValue):
                Unit(name, UnitKind.HUB)
