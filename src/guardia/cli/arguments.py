"""Arguments that several commands have."""

from __future__ import annotations

import argparse
from datetime import UTC, date, datetime
from pathlib import Path

from guardia.core.base.values import is_moment
from guardia.formats.plain import can_be_called

SHOWN = 40
"""Letters of a refused value that are shown."""


def path_named(text: str) -> Path:
    """A path from the command line, for argparse; what no file can be called is refused."""
    if not can_be_called(text):
        shown = ascii(text if len(text) <= SHOWN else f"{text[:SHOWN]}...")
        raise argparse.ArgumentTypeError(f"no file can be called {shown}")
    return Path(text)


def day_named(text: str) -> date:
    """A date from the command line, for argparse; what no camera can show is refused."""
    try:
        day = date.fromisoformat(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(f"{text[:SHOWN]!a} is no date such as 2026-12-24") from error
    if not is_moment(datetime(day.year, day.month, day.day, tzinfo=UTC).timestamp()):
        raise argparse.ArgumentTypeError(f"{text} is no date from 1970 to 2099")
    return day


def of_camera(command: argparse.ArgumentParser) -> None:
    """Ask for a project and one of its cameras."""
    command.add_argument("project", type=path_named, metavar="PROJECT")
    command.add_argument("--camera", required=True, metavar="NAME")


def measured_where(command: argparse.ArgumentParser) -> None:
    """Ask where clips are measured, and what decodes them."""
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
