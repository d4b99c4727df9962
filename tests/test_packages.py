"""What is delivered: the wheel works by itself, and what goes with a package says what the program does."""

import configparser
import os
import re
import subprocess
import sys
import zipfile
from pathlib import Path
from xml.etree import ElementTree as ET

from guardia import __version__
from guardia.cli import program_parser
from tests.support import DEMO, FolderCase

HOME = Path(__file__).resolve().parent.parent
SHARE = HOME / "packaging"


def commands(*, tools: bool = True) -> list[str]:
    return list(next(iter(program_parser(tools=tools)._subparsers._group_actions)).choices)


class Wheel(FolderCase):
    def test_the_wheel_holds_what_it_needs_and_starts_by_itself(self):
        out = self.folder / "dist"
        built = subprocess.run(
            [SHARE / "build", "wheel", out], capture_output=True, text=True, timeout=300, check=False
        )
        self.assertEqual(built.returncode, 0, built.stderr)
        (wheel,) = out.glob("*.whl")
        self.assertIn(f"guardia-{__version__}-", wheel.name)
        there = self.folder / "installed"
        with zipfile.ZipFile(wheel) as packed:
            names = packed.namelist()
            packed.extractall(there)
        self.assertIn("guardia/data/demo/project.zip", names)
        self.assertEqual([n for n in names if "truth" in n and n.endswith(".jsonl")], [])
        self.assertEqual([n for n in names if n.startswith("guardia/tools")], [])
        (entry,) = there.glob("*.dist-info/entry_points.txt")
        points = configparser.ConfigParser()
        points.read(entry)
        self.assertEqual(points["console_scripts"]["guardia"], "guardia.cli:main")
        program = (
            "import sys, guardia\n"
            f"assert guardia.__file__.startswith({str(there)!r}), guardia.__file__\n"
            "from pathlib import Path\n"
            "from PyQt6.QtCore import QTimer\n"
            "from guardia.ui.shell.run import make_application\n"
            "from guardia.ui.shell.main_window import MainWindow\n"
            "app = make_application()\n"
            "window = MainWindow(Path(sys.argv[1]))\n"
            "window.show()\n"
            "window.open_demo()\n"
            "from guardia.cli import program_parser\n"
            "print(len(window.session.camera_ids()), 'benchmark' in program_parser().format_help())\n"
            "window.close()\n"
        )
        environment = {**os.environ, "PYTHONPATH": str(there), "QT_QPA_PLATFORM": "offscreen"}
        command = [sys.executable, "-c", program, str(self.folder / "home")]
        done = subprocess.run(
            command, env=environment, capture_output=True, text=True, timeout=120, check=False, cwd="/"
        )
        self.assertEqual((done.returncode, done.stdout.split()), (0, ["6", "False"]), done.stderr)


class Papers(FolderCase):
    def test_man_page_completions_notices_and_icons_are_made_from_the_program_itself(self):
        share = self.folder / "share"
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
        done = subprocess.run(
            [sys.executable, SHARE / "papers.py", share], env=environment, capture_output=True, text=True, check=False
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        page = (share / "man/man1/guardia.1").read_text("utf-8")
        bash = (share / "bash-completion/completions/guardia").read_text("utf-8")
        self.assertIn("guardia \\- score camera settings", page)
        own = commands(tools=False)
        for name in own:
            self.assertIn(name.replace("-", "\\-"), page)
            self.assertIn(name, bash)
        for name in {*commands()} - {*own}:  # those for who builds it are not in what is installed
            self.assertNotIn(f".SS {name}\n", page)
            self.assertNotIn(f"'{name}'", bash)
        self.assertEqual(subprocess.run(["bash", "-n"], input=bash, text=True, check=False).returncode, 0)
        notices = (share / "doc/guardia/third-party-notices.txt").read_text("utf-8").lower()
        for line in (HOME / "requirements.txt").read_text("utf-8").splitlines():
            if (found := re.match(r"([A-Za-z0-9_.-]+)==(\S+) \\", line)) and "sys_platform" not in line:
                self.assertRegex(notices, re.sub(r"[-_.]", "[-_.]", found[1].lower()) + " " + re.escape(found[2]))
        for line, text in (
            ("with x264: gpl-2.0-or-later", "gnu general public license\n                       version 2"),
            ("with ffmpeg: lgpl-3.0-or-later", "gnu lesser general public license\n                       version 3"),
            ("with lame: lgpl-2.0-or-later", "version 2.1, february 1999"),
            ("pyqt6 6.11.0: gpl-3.0-only", "as it is redistributed here, with pyqt6"),
            ("with qt: lgpl-3.0-only", "with icu: unicode-3.0"),
        ):
            self.assertIn(line, notices)
            self.assertIn(text, notices)
        self.assertTrue((share / "doc/guardia/formats.md").exists())
        sizes = [p.parent.parent.name for p in share.glob("icons/hicolor/*/apps/guardia.png")]
        self.assertIn("256x256", sizes)
        self.assertTrue((share / "icons/hicolor/48x48/apps/guardia.png").read_bytes().startswith(b"\x89PNG"))

    def test_validators_find_nothing_wrong(self):
        for command in (
            ["desktop-file-validate", SHARE / "guardia.desktop"],
            ["appstreamcli", "validate", "--no-net", SHARE / "guardia.metainfo.xml"],
        ):
            done = subprocess.run(command, capture_output=True, text=True, check=False)
            self.assertEqual(done.returncode, 0, done.stdout + done.stderr)

    def test_desktop_entry_metadata_and_mime_type_agree_with_each_other_and_with_a_project(self):
        entry = configparser.ConfigParser(interpolation=None, strict=True)
        entry.optionxform = str
        entry.read(SHARE / "guardia.desktop")
        desktop = entry["Desktop Entry"]
        self.assertEqual((desktop["Type"], desktop["Exec"]), ("Application", "guardia open %f"))
        metadata = ET.parse(SHARE / "guardia.metainfo.xml").getroot()
        self.assertEqual(metadata.findtext("launchable"), "guardia.desktop")
        mime = ET.parse(SHARE / "guardia-mime.xml").getroot()
        space = {"m": "http://www.freedesktop.org/standards/shared-mime-info"}
        (kind,) = mime.findall("m:mime-type", space)
        self.assertEqual(desktop["MimeType"].rstrip(";"), kind.get("type"))
        self.assertEqual(metadata.findtext("provides/mediatype"), kind.get("type"))
        content = (DEMO / "project.sqlite").read_bytes()
        for match in kind.iter(f"{{{space['m']}}}match"):
            at, value = int(match.get("offset")), match.get("value").encode()
            self.assertEqual(content[at : at + len(value)], value)

    def test_the_help_that_needs_no_set_up_names_every_command(self):
        text = (HOME / "docs" / "commands.txt").read_text("utf-8")
        told = re.findall(r"^  ([a-z-]+)  +", text, re.M)
        self.assertEqual(set(told), {*commands(), "test", "check", "package", "help", "--version"})
