"""What is kept of stores, readings, facts, checklists and shared hours: whole, undoable, and gone with its camera."""

from guardia.app.camera.makes import capability_data
from guardia.core.base.errors import InvalidValue
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.settings import HoursSettings, Settings
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.stores import Fitted, Store, StoreKind
from guardia.store.checklists import Checked
from guardia.store.project import Project
from guardia.store.records import About, Site
from guardia.store.settings import HoursGroup, SharedHours
from tests.support import FolderCase, capability, in_file

NIGHT = HoursSettings(WeekPlan((Stretch(EVERY_DAY, Edge(1300), Edge(370), overnight=True),)))


class Upkeep(FolderCase):
    def setUp(self):
        super().setUp()
        self.project = Project(self.folder / "yard", create=True, site=Site("Yard", "UTC"))
        self.addCleanup(self.project.close)
        make = capability()
        data = capability_data(make.id)
        self.ids = [self.project.cameras.add(n, data, Settings.of(make.id, "6")) for n in ("gate", "quay", "shed")]

    def test_stores_keep_their_numbers_cameras_and_readings(self):
        stores = self.project.stores
        card = Fitted(0, Store("card", StoreKind.CARD, 64.0), (self.ids[0],), (Reading(5.0, Measure.FREE, 3.0),))
        stores.set_all([card, Fitted(0, Store("disk", StoreKind.RECORDER, 1000.0), tuple(self.ids))])
        first, second = stores.all()
        self.assertEqual(first.readings, card.readings)
        self.assertEqual(second.cameras, tuple(self.ids))
        self.assertEqual([f.store.name for f in stores.of(self.ids[1])], ["disk"])
        stores.set_all([second])
        self.assertEqual(stores.all(), (second,))
        with self.assertRaisesRegex(InvalidValue, "one name"):
            stores.set_all([card, card])
        self.assertEqual(stores.all(), (second,))

    def test_facts_of_a_camera_and_of_the_site_are_apart(self):
        readings = self.project.readings
        readings.set_facts(None, {"required_days": 14.0})
        readings.set_facts(self.ids[0], {"live": 3.0})
        self.assertEqual(readings.facts(None), {"required_days": 14.0})
        self.assertEqual(readings.facts(self.ids[0]), {"live": 3.0})
        self.assertEqual(readings.facts(self.ids[1]), {})

    def test_what_belongs_to_a_camera_goes_with_it(self):
        gate = self.ids[0]
        self.project.readings.set_of_camera(gate, [Reading(1.0, Measure.BATTERY, 90.0)])
        self.project.readings.set_facts(gate, {"live": 3.0})
        self.project.checklists.set_all(gate, {"clock": Checked("done", "Ada", 5.0)})
        self.project.stores.set_all([Fitted(0, Store("card", StoreKind.CARD, 64.0), (gate,))])
        self.assertEqual(self.project.checklists.of(gate)["clock"].who, "Ada")
        self.project.cameras.set_gone(gate, True)
        self.project.clear_away()
        for table in ("reading", "fact", "checked", "camera_store"):
            self.assertEqual(in_file(self.folder / "yard", f"SELECT * FROM {table}"), [], table)
        self.assertEqual(self.project.stores.all()[0].cameras, ())

    def test_what_is_written_down_has_its_bounds(self):
        about = About("SN 12-7", "shelf 3", "envelope in the safe", 4)
        self.project.cameras.set_about(self.ids[0], about)
        self.assertEqual(self.project.cameras.get(self.ids[0]).about, about)
        with self.assertRaisesRegex(InvalidValue, "501 characters. At most 500"):
            self.project.cameras.set_about(self.ids[0], About("x" * 501))
        self.assertEqual(self.project.cameras.get(self.ids[0]).about, about)

    def test_shared_hours_are_one_thing_until_they_are_taken_apart(self):
        settings = self.project.settings
        before = settings.shared_hours()
        settings.set_shared_hours(SharedHours((HoursGroup("nights", tuple(self.ids[:2]), NIGHT),), before.own))
        self.assertEqual([settings.now(i)[1].hours for i in self.ids], [NIGHT, NIGHT, HoursSettings()])
        draft = settings.now(self.ids[1])[1].with_values(recording_plan=None, hold_s=0.4)
        settings.save_draft(self.ids[1], draft)
        gate = settings.now(self.ids[0])[1]
        self.assertIsNone(gate.hours.recording_plan)
        self.assertEqual(gate.detection.hold_s, 0.0)
        settings.install_draft(self.ids[1])
        self.assertEqual(settings.now(self.ids[1])[0], draft)
        for bad in (
            (HoursGroup("a", (self.ids[0],), NIGHT), HoursGroup("a", (self.ids[1],), NIGHT)),
            (HoursGroup("a", (self.ids[0],), NIGHT), HoursGroup("b", (self.ids[0],), NIGHT)),
            (HoursGroup(" ", (self.ids[0],), NIGHT),),
        ):
            with self.assertRaises(InvalidValue):
                settings.set_shared_hours(SharedHours(bad, before.own))
        settings.set_shared_hours(before)
        self.assertEqual(settings.now(self.ids[0])[1].hours, HoursSettings())

    def test_what_is_found_on_the_camera_is_dated_and_can_be_taken_back(self):
        settings, gate = self.project.settings, self.ids[0]
        entered = settings.now(gate)[0]
        found = entered.with_values(notch="9")
        settings.install_found(gate, found, entered, note="sensitivity 9 (now 6)")
        self.assertEqual(settings.now(gate), (found, entered))
        self.assertEqual([e.settings for e in settings.epochs(gate)], [entered, found])
        self.assertEqual(self.project.logbook.of(gate)[0].what, "found set differently on the camera")
        settings.take_back_installed(gate)
        self.assertEqual(settings.now(gate)[0], entered)
