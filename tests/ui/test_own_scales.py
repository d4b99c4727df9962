"""'Learn from my other cameras' in the window: kept on closing, used by the next camera, undone, and said."""

import unittest

from guardia.app.camera.makes import capability_data
from guardia.app.project.own_scales import FILE_NAME, for_new_camera
from guardia.core.evidence.walked import Walked
from guardia.core.make.settings import Settings
from guardia.store.project import Project
from guardia.store.records import Site
from tests.ui.support import GuiCase


class OwnScales(GuiCase):
    def open(self, *cameras: str) -> None:
        """Open a site with some cameras, walked past at level 5 but for the last."""
        site = self.folder / "-".join(cameras)
        with Project(site, create=True, site=Site("Yard", "UTC")) as project:
            for name in cameras:
                made = capability_data("polygon-mains-camera")
                camera = project.cameras.add(name, made, Settings.of("polygon-mains-camera", "5"))
                if name != cameras[-1]:
                    project.things.set_walks(camera, [
                        Walked(60.0 * n, "across", 5.0, 5.0, dark=False, notch="5", strength=0.5 + 0.1 * n,
                               result="R" if n > 5 else "M")
                        for n in range(12)
                    ])  # fmt: skip
        self.assertTrue(self.window.open_project(site))
        for camera in self.window.session.camera_ids():
            self.window.open_camera(camera, "sensitivity")

    def test_what_two_cameras_showed_is_the_start_of_the_third_until_it_is_undone(self):
        self.open("Gate", "Door", "Shed")
        model = self.window.session.cameras.opened[3]
        before = model.scale.levels[4]
        self.window.commands.use_others()
        taught = model.camera.capability.taught
        self.assertEqual(taught.cameras, 2)
        self.assertIn("your 2 other cameras", self.window.messages.told[-1].text)
        after = model.scale.levels[4]
        self.assertLess(after.high / after.low, before.high / before.low)
        self.window.go("tune")
        page = self.window.pages["tune"]
        page.scale.refresh()
        self.assertIn("It starts from your 2 other cameras of this make", page.scale.words.text())
        # The same make chosen again keeps what others taught.
        model.corrections.set_make(capability_data("polygon-mains-camera"))
        self.assertEqual(model.camera.capability.taught, taught)
        self.window.session.undo.undo()
        self.window.session.undo.undo()
        self.assertIsNone(model.camera.capability.taught)

    def test_fewer_than_two_teach_nothing_and_that_is_said(self):
        self.open("Gate", "Shed")
        self.window.commands.use_others()
        self.assertIn("Nothing is changed", self.window.messages.told[-1].text)
        self.assertIsNone(self.window.session.cameras.opened[2].camera.capability.taught)

    def test_it_is_kept_on_closing_for_the_cameras_of_other_sites(self):
        self.open("Gate", "Door", "Shed")
        self.window.close_session()
        self.assertTrue((self.folder / "home" / FILE_NAME).exists())
        new = for_new_camera(self.folder / "home", capability_data("polygon-mains-camera"))
        self.assertEqual(new["taught"]["cameras"], 2)


if __name__ == "__main__":
    unittest.main()
