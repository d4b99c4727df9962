"""A few of the mutated files of tests/fuzz_files.py: none may end, hang or touch anything; and damaged pictures."""

import io
import unittest

from PIL import Image

from guardia.core.base.errors import UnreadableClip
from guardia.media.analysis import decode_grey, lifted
from tests.fuzz_files import READ, run


class HostileFiles(unittest.TestCase):
    def test_mutated_files_are_read_or_refused_in_words(self):
        counts = run(3 * len(READ))
        self.assertEqual(counts.pop("files touched elsewhere"), 0)
        self.assertLessEqual(set(counts), {"read", "refused in words"}, counts)
        self.assertEqual(sum(counts.values()), 3 * len(READ))
        self.assertGreater(counts["refused in words"], len(READ))

    def test_a_kept_picture_that_is_damaged_or_claims_to_be_huge_is_refused_before_it_is_decoded(self):
        out = io.BytesIO()
        Image.new("L", (64, 36), 90).save(out, "JPEG")
        sound = out.getvalue()
        at = sound.index(b"\xff\xc0") + 5
        huge = sound[:at] + b"\xff\xff\xff\xff" + sound[at + 4 :]
        for content in (b"", b"no picture", sound[:40], huge):
            with self.assertRaises(UnreadableClip):
                decode_grey(content)
            self.assertEqual(lifted(content), content, "shown as it is: nothing")
        self.assertEqual(decode_grey(sound).shape, (36, 64))
