"""Makes what a package carries beside the program: man page, shell completions, icons, notices of others' licences.

python packaging/papers.py FOLDER
"""

from __future__ import annotations

import argparse
import os
import re
import sys
from importlib.metadata import Distribution, PackageNotFoundError, distribution
from pathlib import Path

import shtab
from docutils.core import publish_string

from guardia import __version__
from guardia.cli import program_parser

HOME = Path(__file__).resolve().parent.parent
ICON_PX = (16, 24, 32, 48, 64, 128, 256, 512)


def man_page() -> str:
    """The man page, from the words of the commands themselves."""
    parser = program_parser()
    subparsers = next(a for a in parser._actions if isinstance(a, argparse._SubParsersAction))
    lines = [
        "=========", " guardia", "=========", "", parser.description or "", "",
        ":Manual section: 1", ":Version: " + __version__, "",
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


def notices() -> str:
    """Names, versions, licences and licence texts of the libraries."""
    parts = ["Guardia uses these libraries, each under its own licence.", ""]
    texts = []
    for name in requirements():
        try:
            library = distribution(name)
        except PackageNotFoundError:  # only for other systems
            continue
        parts.append(f"{library.metadata['Name']} {library.version}: {licence_of(library)}")
        for file in library.files or ():
            if re.search(r"(licen[cs]e|copying|notice)", file.name, re.I) and "dist-info" in str(file):
                text = Path(str(file.locate())).read_text("utf-8", "replace")
                texts += ["", "-" * 80, f"{library.metadata['Name']}: {file.name}", "", text]
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


def main() -> int:
    """Write everything beneath a folder, as /usr/share has it."""
    share = Path(sys.argv[1])
    for name, text in (
        ("man/man1/guardia.1", man_page()),
        ("bash-completion/completions/guardia", shtab.complete(program_parser(), "bash")),
        ("zsh/site-functions/_guardia", shtab.complete(program_parser(), "zsh")),
        ("doc/guardia/third-party-notices.txt", notices()),
        ("doc/guardia/copyright", (HOME / "LICENSE").read_text("utf-8")),
        ("applications/guardia.desktop", (HOME / "packaging/guardia.desktop").read_text("utf-8")),
        ("metainfo/guardia.Guardia.metainfo.xml", (HOME / "packaging/guardia.metainfo.xml").read_text("utf-8")),
        ("mime/packages/guardia.xml", (HOME / "packaging/guardia-mime.xml").read_text("utf-8")),
    ):
        target = share / name
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(text, "utf-8")
    icons(share / "icons")
    return 0


if __name__ == "__main__":
    sys.exit(main())
