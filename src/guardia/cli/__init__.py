"""Guardia without a window: the same capabilities, each with --json.

Each command imports what it needs when it runs, so that the window opens quickly.
"""

from __future__ import annotations

import argparse
import io
import os
import sys
from collections.abc import Sequence
from contextlib import suppress
from datetime import UTC, date, datetime
from importlib.util import find_spec
from pathlib import Path
from typing import Any

from platformdirs import user_data_path

from guardia import __version__
from guardia.app.intake.import_plan import RULES
from guardia.app.work.faults import keep_fault
from guardia.cli import clips, settings, site, upkeep
from guardia.core.base.errors import GuardiaError
from guardia.core.base.values import is_moment
from guardia.core.evidence.clips import Cause, Origin
from guardia.core.purpose.patterns import PATTERN_OF
from guardia.formats.plain import can_be_called

"""Bytes of a file's name, as all usual file systems have it."""
SHOWN = 40
"""Letters of a refused value that are shown."""
INTERRUPTED = 130
"""What a program ends with on Ctrl+C, by the custom of shells."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; errors are told in plain words on standard error.

    Args:
        arguments: Without the program's name; the process's own when None.

    Returns:
        0 when all went well, 1 when something was skipped or a bar was missed, 2 when the command could not be done.
    """
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")
    options = program_parser().parse_args(arguments)
    try:
        status: int = options.act(options)
        sys.stdout.flush()
    except GuardiaError as error:
        return _end(str(error), 2)
    except KeyboardInterrupt:
        return _end("Stopped. What was finished until then is kept.", INTERRUPTED)
    except BrokenPipeError:  # whoever read the output, such as head, wanted no more of it
        _to_nowhere()
        return 0
    except OSError as error:
        if error.filename is None:  # the output itself
            _to_nowhere()
            return _end(f"The output cannot be written ({error.strerror}).", 2)
        return _end(f"{error.filename} cannot be used ({error.strerror}).", 2)
    except MemoryError:
        return _end("The memory of this machine is not enough for that.", 2)
    except Exception as error:
        kept = keep_fault(error, user_data_path("guardia"))
        where = f" Its details are kept in {kept}; please send them on." if kept else ""
        return _end(f"A fault of the program ({type(error).__name__}: {error}).{where}", 2)
    return status


def _end(words: str, status: int) -> int:
    print(f"guardia: {' '.join(words.split())}", file=sys.stderr)
    return status


def _to_nowhere() -> None:
    """Let nothing more be written to the output, nor be tried when Python ends."""
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def program_parser(*, tools: bool | None = None) -> argparse.ArgumentParser:
    """The commands with their words, for the program and for its man page.

    Args:
        tools: Those for who builds it, too; None for where they are.

    Returns:
        The parser; what it parses has a function `act`.
    """
    parser = argparse.ArgumentParser(
        prog="guardia",
        description="A settings bench for installed cameras: score settings on clips that the camera really recorded.",
    )
    parser.add_argument("--version", action="version", version=f"Guardia {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    def add(name: str, act: Any, text: str, *, machine: bool = True) -> argparse.ArgumentParser:
        command = commands.add_parser(name, help=text, description=text)
        command.set_defaults(act=act)
        if machine:
            command.add_argument("--json", action="store_true", help="print JSON instead of text")
        return command

    add("demo", _demo, "Open the window on your own copy of the demo site.", machine=False)
    command = add("open", _open, "Open the window, on a project if one is given.", machine=False)
    command.add_argument("project", nargs="?", type=path_named)
    command = add("analyse", clips.analyse, "Measure clips and say what moves in them and when.")
    command.add_argument("clips", nargs="+", type=path_named, metavar="CLIP", help="a video file, or a folder of them")
    command.add_argument("--time-zone", default="UTC", help="of times in file names (IANA name)")
    _add_cluster(command)
    command = add("replay", clips.replay, "Say when settings would trigger and record on a clip.")
    command.add_argument("clip", type=path_named, metavar="CLIP")
    command.add_argument("--settings", type=path_named, required=True, metavar="FILE", help="JSON, see docs/formats.md")
    command.add_argument(
        "--capability", type=path_named, metavar="FILE", help="a make of your own instead of a shipped one"
    )
    command = add("score", settings.score, "Score installed and draft of a project's cameras on their judged evidence.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", metavar="NAME", help="only this camera")
    command = add("bring-in", clips.bring_in, "Bring clips, pictures, event lists and metadata into a project.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("paths", nargs="+", type=path_named, metavar="PATH", help="files and folders")
    command.add_argument("--camera", metavar="NAME", required=True, help="the camera that recorded them")
    command.add_argument("--origin", choices=[o.value for o in Origin], default=Origin.MOTION.value)
    command.add_argument("--cause", choices=[c.value for c in Cause], help="why it recorded; else by its event list")
    command.add_argument(
        "--watched", nargs=2, metavar=("FROM", "TO"), help="all that it recorded by motion between these times is here"
    )
    command.add_argument("--cameras-by", choices=RULES, default="one", help="how files find their camera")
    command.add_argument("--pattern", help="of the time in file names, for example %%d%%m%%y_%%H%%M%%S")
    words = "column of event lists, such as time=Recorded; known: " + ", ".join(clips.COLUMNS)
    command.add_argument("--column", action="append", default=[], metavar="WHAT=NAME", help=words)
    words = "zone of times in event lists that name none, an IANA name; else the site's"
    command.add_argument("--times-in", metavar="ZONE", help=words)
    command.add_argument("--dry-run", action="store_true", help="only say what would happen")
    _add_cluster(command)
    command = add("new", clips.new, "Make a project with one camera, or add a camera to one.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--site", metavar="NAME", help="of a new project")
    words = "of a new project, IANA name, for example Europe/Oslo"
    command.add_argument("--time-zone", metavar="ZONE", help=words)
    command.add_argument("--camera", required=True, metavar="NAME")
    command.add_argument("--make", required=True, metavar="ID", help="a shipped make, or a JSON file of your own")
    command.add_argument("--settings", type=path_named, metavar="FILE", help="installed on it; else not known")
    text = "Take the judgements of a camera's occurrences from a table, or write them to one."
    command = add("judge", clips.judge, text)
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", required=True, metavar="NAME")
    way = command.add_mutually_exclusive_group(required=True)
    way.add_argument(
        "--from", dest="source", type=path_named, metavar="FILE", help="CSV, JSON Lines or XLSX: clip,begin,end,kind"
    )
    way.add_argument("--to", type=path_named, metavar="FILE", help="the same form")
    text = "Say what a camera is for, or print it: what must be recorded and alerted, met or not."
    command = add("purpose", settings.purpose, text)
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", required=True, metavar="NAME")
    way = command.add_mutually_exclusive_group()
    way.add_argument("--begin", choices=sorted(PATTERN_OF), metavar="PATTERN", help=", ".join(sorted(PATTERN_OF)))
    way.add_argument("--set", dest="source", type=path_named, metavar="FILE", help="JSON, see docs/formats.md")
    way.add_argument("--nothing", action="store_true", help="ask nothing of it any more")
    command = add("first", settings.first, "Say what to set before there is any clip, and which walks prove it.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", required=True, metavar="NAME")
    command.add_argument("--save", action="store_true", help="keep it as the draft")
    command = add("tune", settings.tune, "Search better settings for a camera and prove them on days held out.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", required=True, metavar="NAME")
    command.add_argument(
        "--miss-cost", type=float, default=5.0, metavar="N", help="of a miss; a false recording costs 1"
    )
    command.add_argument("--kind-cost", action="append", default=[], metavar="KIND=N", help="factor for single kinds")
    command.add_argument("--hold-out", type=int, default=0, metavar="DAYS", help="keep the last days out; else in turn")
    command.add_argument("--unseen", action="store_true", help="also choose what motion clips cannot show the price of")
    command.add_argument("--save", action="store_true", help="keep what is chosen as the draft")
    command = add("sheet", settings.sheet, "Print the settings sheet of a camera: what to enter, and what it changes.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", required=True, metavar="NAME")
    command.add_argument("--settings", type=path_named, metavar="FILE", help="these in place of the draft")
    command.add_argument("--pdf", type=path_named, metavar="FILE", help="save it as PDF, too")
    command = add("hours", settings.hours, "Say when a camera records and alerts, and what is typed in for that.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", required=True, metavar="NAME")
    command.add_argument("--from", dest="first", type=_date, metavar="DATE", help="first date; today if left out")
    command.add_argument("--to", dest="last", type=_date, metavar="DATE", help="last date; a week if left out")
    command.add_argument("--draft", action="store_true", help="of the draft in place of the installed settings")
    text = "Say how long footage, a charge and data last, and what to save before when."
    command = add("storage", site.storage, text)
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", action="append", default=[], metavar="NAME", help="all if left out")
    command.add_argument("--draft", action="store_true", help="of the draft in place of the installed settings")
    command.add_argument(
        "--export", type=path_named, metavar="FOLDER", help="copy the originals of one camera's real ones"
    )
    command = add("due", site.due, "Say what is due when on the cameras of a site.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--calendar", type=path_named, metavar="FILE", help="save it as iCalendar, too")
    command = add("damaged", site.damaged, "List the entries of a project that cannot be read; save and delete them.")
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument(
        "--save", type=path_named, metavar="FILE", help="save them as JSON, as they stand in the project"
    )
    command.add_argument("--delete", action="store_true", help="delete those that were saved")
    text = "List a folder of projects, those first that need care most; nothing in them is changed."
    command = add("portfolio", site.portfolio, text)
    command.add_argument("folder", type=path_named, metavar="FOLDER")
    text = "Show what your cameras taught about their makes; learn from projects, use it in others."
    command = add("scales", site.scales, text)
    for name, does in (("--learn", "keep what its cameras show"), ("--use", "let its cameras start from that")):
        command.add_argument(name, type=path_named, action="append", default=[], metavar="PROJECT", help=does)
    command.add_argument(
        "--import", dest="source", type=path_named, metavar="FILE", help="add what another machine learned"
    )
    command.add_argument(
        "--export", type=path_named, metavar="FILE", help="save it as JSON: no picture, place or name in it"
    )
    text = "Bring what a second copy of a project knows into the first: judgements with time and person, readings."
    command = add("merge", site.merge, text)
    command.add_argument("first", type=path_named, metavar="A", help="the project that is changed")
    command.add_argument("second", type=path_named, metavar="B", help="the other copy, which is not")
    command.add_argument("--keep", choices=("later", "first", "second"), default="later", help="where they differ")
    text = "Let the simulated camera record a week that nobody has seen, to tune by hand."
    command = add("practice", site.practice, text)
    command.add_argument("project", type=path_named, metavar="FOLDER", help="a new folder; with --result a practice")
    command.add_argument("--level", type=int, default=1, metavar="N", help="1, one cause by day, to 5, all of them")
    command.add_argument("--scene", type=int, default=0, metavar="N", help="which scene")
    command.add_argument("--result", action="store_true", help="hold the draft against the truth of the week after")
    text = "Measure what an older version measured; old figures beside new."
    command = add("measure-again", clips.measure_again, text)
    command.add_argument("project", type=path_named, metavar="PROJECT")
    if tools or (tools is None and find_spec("guardia.tools") is not None):  # what is installed has none
        upkeep.add_to(add)
    command = add("help", lambda options: _help(parser, commands, options), "Say what the commands do.", machine=False)
    command.add_argument("command", nargs="?", choices=list(commands.choices), metavar="COMMAND", help="one of them")
    return parser


def _help(parser: argparse.ArgumentParser, commands: Any, options: argparse.Namespace) -> int:
    (commands.choices[options.command] if options.command else parser).print_help()
    return 0


def _add_cluster(command: argparse.ArgumentParser) -> None:
    command.add_argument("--cluster", metavar="ADDRESS", help="measure on this dask scheduler, such as tcp://name:8786")
    command.add_argument("--shared", action="store_true", help="its workers see the files under the same paths")
    for name, words in (("ca", "the authority's certificate"), ("cert", "this client's"), ("key", "its key")):
        command.add_argument(
            f"--tls-{name}", type=path_named, metavar="FILE", help=f"for tls:// addresses: {words}, PEM"
        )
    words = (
        "decode on this kind of device, such as vaapi, if it gives the first clip's very trace (without it by software)"
    )
    command.add_argument("--decode-on", metavar="DEVICE", default="", help=words)


def path_named(text: str) -> Path:
    """A path from the command line, for argparse; what no file can be called is refused."""
    if not can_be_called(text):
        shown = ascii(text if len(text) <= SHOWN else f"{text[:SHOWN]}...")
        raise argparse.ArgumentTypeError(f"no file can be called {shown}")
    return Path(text)


def _date(text: str) -> date:
    try:
        day = date.fromisoformat(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(f"{text[:SHOWN]!a} is no date such as 2026-12-24") from error
    if not is_moment(datetime(day.year, day.month, day.day, tzinfo=UTC).timestamp()):
        raise argparse.ArgumentTypeError(f"{text} is no date from 1970 to 2099")
    return day


def _demo(_options: argparse.Namespace) -> int:
    from guardia.ui.shell.run import run

    return run(user_data_path("guardia"), None, demo=True)


def _open(options: argparse.Namespace) -> int:
    from guardia.ui.shell.run import run

    project = options.project
    if project is not None and project.name == "project.sqlite":
        project = project.parent  # what a file manager hands over
    return run(user_data_path("guardia"), project)
