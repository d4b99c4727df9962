"""Key pictures that are not there: drawn anew from the clips, what is looked at before all others."""

import io
import os
from unittest.mock import patch

from PIL import Image

from guardia.app.project import key_pictures
from guardia.app.project.key_pictures import draw_lacking
from guardia.app.work.jobs import Token
from guardia.core.base.errors import Cancelled
from guardia.media.analysis import KEY_PICTURES, KEY_WIDTH_PX
from guardia.media.analysis import key_pictures as drawn_of
from guardia.store.project import Project
from tests.support import FolderCase, in_file


def die_at_the_first(task):
    """As a decoder that takes its process down, at one clip only."""
    if task.path.name.startswith("0"):
        os._exit(9)
    return drawn_of(task.path, task.times_s, threads=1)


class KeyPictures(FolderCase):
    """On the demo, which is shipped without."""

    def setUp(self):
        super().setUp()
        self.demo = self.copy_demo()
        with Project(self.demo) as project:
            self.lacking = project.occurrences.without_pictures()

    def draw(self, until, wanted=()):
        """Draw until so many were dealt with; gives their numbers."""
        dealt, token = [], Token()

        def one(number):
            dealt.append(number)
            if len(dealt) == until:
                token.cancel()

        with self.assertRaises(Cancelled):
            draw_lacking(self.demo, token=token, wanted=lambda: wanted, drawn=one)
        return dealt

    def strip(self, number):
        with Project(self.demo) as project:
            return project.occurrences.strip(number)

    def test_what_is_looked_at_comes_first_and_what_was_drawn_stays(self):
        last, before, *_ = reversed(self.lacking)
        self.assertEqual(self.draw(2, (before, last)), [last, before])
        with Image.open(io.BytesIO(self.strip(last))) as picture:
            self.assertEqual(picture.size[0], KEY_PICTURES * KEY_WIDTH_PX)
        with Project(self.demo) as project:
            left = project.occurrences.without_pictures()
            path = project.clips.path(self.lacking[last].clip_id)
        self.assertEqual(self.lacking.keys() - left.keys(), {last, before})
        self.assertEqual(self.strip(last), drawn_of(path, self.lacking[last].times_s))

    def test_a_clip_that_is_gone_or_no_video_costs_its_own_pictures_only(self):
        first, *_, second, third = self.lacking
        (gone,) = in_file(self.demo, "SELECT file FROM clip WHERE id = ?", [self.lacking[first].clip_id])
        (self.demo / "media" / gone["file"]).unlink()
        (bad,) = in_file(self.demo, "SELECT file FROM clip WHERE id = ?", [self.lacking[second].clip_id])
        (self.demo / "media" / bad["file"]).write_bytes(b"\0" * 4000)
        self.assertEqual(self.draw(3, (third, second, first)), [first, second, third])
        self.assertEqual([bool(self.strip(n)) for n in (first, second, third)], [False, False, True])

    def test_a_decoder_that_dies_costs_one(self):
        rows = in_file(
            self.demo, "SELECT o.id FROM occurrence o JOIN clip c ON c.id = o.clip_id WHERE c.file LIKE '0%'"
        )
        fatal, fine = rows[0]["id"], next(n for n in self.lacking if n not in {r["id"] for r in rows})
        with patch.object(key_pictures, "_draw", die_at_the_first):
            self.assertEqual(self.draw(2, (fine, fatal)), [fatal, fine])
        self.assertEqual([bool(self.strip(n)) for n in (fatal, fine)], [False, True])
