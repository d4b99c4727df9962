import json
from dataclasses import asdict, replace

from guardia.app.project.preferences import FILE_NAME, KEPT_PROJECTS, Preferences, load_preferences, save_preferences
from tests.support import FolderCase


class Remembering(FolderCase):
    def test_what_is_saved_comes_back_and_the_project_opened_last_is_first(self):
        preferences = replace(Preferences(), dark=True, width=1500)
        for n in range(KEPT_PROJECTS + 2):
            preferences = preferences.with_project(self.folder / str(n))
        preferences = preferences.with_project(self.folder / "4")
        self.assertTrue(save_preferences(preferences, self.folder / "new"))
        back, told = load_preferences(self.folder / "new")
        self.assertEqual((back, told), (preferences, []))
        self.assertEqual(back.recent[0], str(self.folder / "4"))
        self.assertEqual(len(back.recent), KEPT_PROJECTS)
        self.assertEqual(load_preferences(self.folder / "none"), (Preferences(), []))

    def test_a_bad_value_falls_back_alone_and_is_told(self):
        values = asdict(replace(Preferences(), dark=True)) | {"width": -5, "height": True, "recent": ["/a", 3]}
        (self.folder / FILE_NAME).write_text(json.dumps(values))
        back, told = load_preferences(self.folder)
        self.assertEqual(back, replace(Preferences(), dark=True))
        self.assertEqual(len(told), 3)
        self.assertIn("'width'", told[0])
        for spoilt in ("[1, 2]", "{", "[" * 100_000):
            (self.folder / FILE_NAME).write_text(spoilt)
            back, told = load_preferences(self.folder)
            self.assertEqual(back, Preferences())
            self.assertIn("cannot be read", told[0])

    def test_a_disk_that_refuses_is_no_error(self):
        (self.folder / "file").touch()
        self.assertFalse(save_preferences(Preferences(), self.folder / "file"))
