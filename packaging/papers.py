"""Makes what a package carries beside the program: man page, shell completions, icons, notices of others' licences.

python packaging/papers.py FOLDER
"""

from __future__ import annotations

import argparse
import json
import os
import re
import sys
import tomllib
from importlib.metadata import Distribution, PackageNotFoundError, distribution
from pathlib import Path

import shtab
from docutils.core import publish_string

from guardia import __version__
from guardia.cli import program_parser

HOME = Path(__file__).resolve().parent.parent
SUMMARY = "score camera settings on the clips that the cameras recorded"
ICON_PX = (16, 24, 32, 48, 64, 128, 256, 512)


def man_page() -> str:
    """The man page, from the words of the commands themselves."""
    parser = program_parser(tools=False)
    subparsers = next(a for a in parser._actions if isinstance(a, argparse._SubParsersAction))
    lines = [
        "=========", " guardia", "=========", "", "-" * len(SUMMARY), SUMMARY, "-" * len(SUMMARY), "",
        ":Manual section: 1", ":Version: " + __version__, "", "DESCRIPTION", "===========", "",
        parser.description or "", "",
        "SYNOPSIS", "========", "", "guardia COMMAND ...", "", "COMMANDS", "========", "",
    ]  # fmt: skip
    for name, command in subparsers.choices.items():
        command.prog = f"guardia {name}"
        help_lines = command.format_help().split("\n")
        lines += [name, "-" * len(name), "", "::", "", *(f"  {line}" for line in help_lines), ""]
    return publish_string("\n".join(lines), writer="manpage", settings_overrides={"report_level": 3}).decode()


def requirements() -> list[str]:
    """Names of the libraries that the program needs at run time."""
    text = (HOME / "requirements.txt").read_text("utf-8")
    return sorted(set(re.findall(r"^([A-Za-z0-9_.-]+)==", text, re.M)), key=str.lower)


def licence_of(library: Distribution) -> str:
    """The licence that a library states."""
    data = library.metadata
    stated = data.get("License-Expression") or ""
    classes = [c.rsplit("::", 1)[-1].strip() for c in data.get_all("Classifier") or () if c.startswith("License ::")]
    first_line = (data.get("License") or "").strip().split("\n")[0][:60]
    return stated or ", ".join(classes) or first_line or "see its text"


AS_A_WHOLE = """Guardia itself may be used under the GNU General Public License, version 3 or any later one.
As it is redistributed here, with PyQt6, which is under version 3 only, the whole is under the GNU General Public
License, version 3. Its text is in the file LICENSE beside this one. The source code of each library is offered by its
project under the version named below; that of Guardia is the folder from which this was built."""

HERE = Path(__file__).resolve().parent
TEXTS = {
    "LGPL-3.0-or-later": "LGPL-3.0", "LGPL-3.0-only": "LGPL-3.0", "GPL-2.0-or-later": "GPL-2.0",
    "LGPL-2.0-or-later": "LGPL-2.1", "LGPL-2.1-or-later": "LGPL-2.1",
}  # fmt: skip
"""Names of the files with the texts of licences, where they are not the licences' own."""


def built_in(library: Distribution) -> list[tuple[str, str, str]]:
    """What lies built in a library: name, licence, holders; raises KeyError for a file that nobody named a licence of.

    A library whose own licence file speaks of what is built in, as those of NumPy, SciPy, Pillow and shapely do, is
    left out.
    """
    name = library.metadata["Name"].lower().replace("-", "_")
    table = tomllib.loads((HERE / "bundled.toml").read_text("utf-8")).get(name)
    if table is None:
        return []
    found = {}
    for file in library.files or ():
        if ".so" in file.name and ("av.libs" in str(file) or "Qt6/lib/" in str(file)):
            owner = next((name for name, one in table.items() if file.name.startswith(tuple(one["files"]))), None)
            if owner is None and file.name.startswith(LEFT_OUT):
                continue
            if owner is None:
                raise KeyError(f"{file} is redistributed, and packaging/bundled.toml does not say under which licence")
            found[owner] = (owner, table[owner]["licence"], table[owner]["holders"])
    return [*found.values()]


LEFT_OUT = ("libavcodec", "libavformat", "libavutil", "libsw")
"""Of Qt's libraries: these are taken out of every package, see build."""


def notices() -> str:
    """Names, versions, licences and licence texts of the libraries and of what is built in them."""
    parts = [AS_A_WHOLE, "", "These libraries are in it, each under its own licence.", ""]
    texts: list[str] = []
    needed: set[str] = set()
    for name in requirements():
        try:
            library = distribution(name)
        except PackageNotFoundError:  # only for other systems
            continue
        parts.append(f"{library.metadata['Name']} {library.version}: {licence_of(library)}")
        for owner, licence, holders in built_in(library):
            parts.append(f"    with {owner}: {licence}; copyright {holders}")
            needed.add(TEXTS.get(licence, licence))
        for file in library.files or ():
            if file.name.endswith(".cyclonedx.json"):
                content = json.loads(Path(str(file.locate())).read_text("utf-8"))
                own = [f"{c['name']} {c.get('version', '')}".strip() for c in content.get("components", ())]
                parts.append(f"    built with: {', '.join(sorted(own))}")
        for file in library.files or ():
            if re.search(r"(licen[cs]e|copying|notice)", file.name, re.I) and "dist-info" in str(file):
                text = Path(str(file.locate())).read_text("utf-8", "replace")
                texts += ["", "-" * 80, f"{library.metadata['Name']}: {file.name}", "", text]
    for licence in sorted(needed):
        texts += ["", "-" * 80, licence, "", (HERE / "licences" / f"{licence}.txt").read_text("utf-8")]
    return "\n".join([*parts, *texts]) + "\n"


def icons(folder: Path) -> None:
    """The icon in sizes, as the icon theme wants them."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtCore import Qt
    from PyQt6.QtGui import QGuiApplication, QImage, QPainter
    from PyQt6.QtSvg import QSvgRenderer

    app = QGuiApplication.instance() or QGuiApplication(sys.argv[:1])
    source = HOME / "src" / "guardia" / "data" / "icons" / "guardia.svg"
    renderer = QSvgRenderer(str(source))
    for size in ICON_PX:
        image = QImage(size, size, QImage.Format.Format_ARGB32)
        image.fill(Qt.GlobalColor.transparent)
        painter = QPainter(image)
        renderer.render(painter)
        painter.end()
        target = folder / f"hicolor/{size}x{size}/apps/guardia.png"
        target.parent.mkdir(parents=True, exist_ok=True)
        image.save(str(target))
    scalable = folder / "hicolor/scalable/apps/guardia.svg"
    scalable.parent.mkdir(parents=True, exist_ok=True)
    scalable.write_bytes(source.read_bytes())
    del app


COPYRIGHT = """Format: https://www.debian.org/doc/packaging-manuals/copyright-format/1.0/
Upstream-Name: Guardia
Comment: As a whole, with the libraries in it, under the GNU General Public License, version 3. Each library's own
 licence and its text are in third-party-notices.txt beside this file.

Files: *
Copyright: 2026 The authors of Guardia
License: GPL-3+
 On Debian systems the text of this licence is in /usr/share/common-licenses/GPL-3.
"""
"""As Debian's packages have it."""

DOCS = [HOME / "docs" / f"{name}.md" for name in ("formats", "motion-model", "scale", "robustness")]
"""What whoever uses the program may want to read; the guide is in the program."""


def main() -> int:
    """Write everything beneath a folder, as /usr/share has it."""
    share = Path(sys.argv[1])
    for name, text in (
        ("man/man1/guardia.1", man_page()),
        ("bash-completion/completions/guardia", shtab.complete(program_parser(tools=False), "bash")),
        ("zsh/vendor-completions/_guardia", shtab.complete(program_parser(tools=False), "zsh")),
        ("doc/guardia/third-party-notices.txt", notices()),
        ("doc/guardia/copyright", COPYRIGHT),
        ("doc/guardia/LICENSE", (HOME / "LICENSE").read_text("utf-8")),
        *((f"doc/guardia/{f.name}", f.read_text("utf-8")) for f in (HOME / "CHANGELOG.md", *DOCS)),
        ("applications/guardia.desktop", (HOME / "packaging/guardia.desktop").read_text("utf-8")),
        ("metainfo/local.guardia.guardia.metainfo.xml", (HOME / "packaging/guardia.metainfo.xml").read_text("utf-8")),
        ("mime/packages/guardia.xml", (HOME / "packaging/guardia-mime.xml").read_text("utf-8")),
    ):
        target = share / name
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(text, "utf-8")
    icons(share / "icons")
    return 0


if __name__ == "__main__":
    sys.exit(main())
