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
from importlib.util import find_spec
from typing import Any

from platformdirs import user_data_path

from guardia import __version__
from guardia.app.work.faults import keep_fault
from guardia.cli import clips, settings, site, upkeep
from guardia.cli.arguments import path_named
from guardia.core.base.errors import GuardiaError

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
    for part in (clips, settings, site):
        part.add_to(add)
    if tools or (tools is None and find_spec("guardia.tools") is not None):  # what is installed has none
        upkeep.add_to(add)
    command = add("help", lambda options: _help(parser, commands, options), "Say what the commands do.", machine=False)
    command.add_argument("command", nargs="?", choices=list(commands.choices), metavar="COMMAND", help="one of them")
    return parser


def _help(parser: argparse.ArgumentParser, commands: Any, options: argparse.Namespace) -> int:
    (commands.choices[options.command] if options.command else parser).print_help()
    return 0


def _demo(_options: argparse.Namespace) -> int:
    from guardia.ui.shell.run import run

    return run(user_data_path("guardia"), None, demo=True)


def _open(options: argparse.Namespace) -> int:
    from guardia.ui.shell.run import run

    project = options.project
    if project is not None and project.name == "project.sqlite":
        project = project.parent  # what a file manager hands over
    return run(user_data_path("guardia"), project)
