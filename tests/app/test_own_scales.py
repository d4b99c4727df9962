"""What one's own cameras teach: kept in one's own folder, without names, and the start of the next camera."""

import json
import unittest

from guardia.app.camera.makes import capability_data
from guardia.app.project.own_scales import (
    FILE_NAME,
    camera_key,
    for_new_camera,
    learn,
    own_scales,
    scales_from,
    use,
    write_scales,
)
from guardia.core.base.errors import GuardiaError
from guardia.core.evidence.walked import Walked
from guardia.core.make.settings import Settings
from guardia.store.project import Project
from guardia.store.records import Site
from tests.support import DEMO, FolderCase


class OwnScales(FolderCase):
    def setUp(self):
        super().setUp()
        self.home, self.site = self.folder / "home", self.folder / "site"
        make = capability_data("polygon-mains-camera")
        with Project(self.site, create=True, site=Site("Yard", "UTC")) as project:
            for name in ("Gate", "Door", "New one"):
                camera = project.cameras.add(name, make, Settings.of("polygon-mains-camera", "5"))
                if name != "New one":
                    walked = [
                        Walked(float(n), "across", 5.0, 5.0, dark=False, notch="5", strength=0.4 + 0.2 * n,
                               result="R" if n > 3 else "M")
                        for n in range(10)
                    ]  # fmt: skip
                    project.things.set_walks(camera, walked)

    def test_two_cameras_teach_the_third_but_none_teaches_itself(self):
        with Project(self.site) as project:
            self.assertEqual(learn(self.home, project), 2)
            taught = dict(use(self.home, project))
            self.assertEqual((taught["New one"].cameras, taught["Gate"], taught["Door"]), (2, None, None))
            self.assertEqual(project.cameras.get(3).capability.taught, taught["New one"])
            self.assertEqual(learn(self.home, project), 2)
        new = for_new_camera(self.home, capability_data("polygon-mains-camera"))
        self.assertEqual(new["taught"]["cameras"], 2)
        self.assertNotIn("taught", for_new_camera(self.home, capability_data("phone-as-camera")))

    def test_the_file_names_nobody_and_goes_to_another_machine(self):
        with Project(self.site) as project:
            learn(self.home, project)
        text = (self.home / FILE_NAME).read_text("utf-8")
        for name in ("Yard", "Gate", "Door"):
            self.assertNotIn(name, text)
        other = self.folder / "other.json"
        write_scales(other, own_scales(self.home))
        self.assertEqual(scales_from(other), own_scales(self.home))
        self.assertIn(camera_key("Yard", "Gate"), scales_from(other))

    def test_a_file_that_is_none_is_refused_and_a_damaged_one_of_ones_own_teaches_nothing(self):
        good = {"format": "guardia-scales", "version": 1}
        one = {"make": "m", "name": "M", "seen": 3, "logs": [0.0]}
        for number, text in enumerate(
            ("[]", "{", json.dumps(good), json.dumps(good | {"version": 2}), json.dumps(good | {"cameras": {"a": one}}))
        ):
            path = self.folder / f"{number}.json"
            path.write_text(text, "utf-8")
            with self.subTest(text), self.assertRaises(GuardiaError) as refused:
                scales_from(path)
            self.assertIn(path.name, str(refused.exception))
        self.home.mkdir()
        (self.home / FILE_NAME).write_text("{", "utf-8")
        self.assertEqual(own_scales(self.home), {})
        self.assertEqual((self.home / "scales.damaged.json").read_text("utf-8"), "{")

    def test_simulated_cameras_teach_nothing(self):
        with Project(DEMO) as project:
            self.assertEqual(learn(self.home, project), 0)


if __name__ == "__main__":
    unittest.main()
