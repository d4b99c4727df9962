"""The one root of every error that Guardia reports to a person."""

from __future__ import annotations


class GuardiaError(Exception):
    """An error told in plain words.

    Args:
        what: One sentence: what happened.
        kept: One sentence: what was kept or left unchanged; may be empty.
        do: One sentence: what the person can do now; may be empty.
    """

    def __init__(self, what: str, *, kept: str = "", do: str = "") -> None:
        super().__init__(" ".join(part for part in (what, kept, do) if part))
        self.what = what
        self.kept = kept
        self.do = do


class InvalidValue(GuardiaError):
    """A value given from outside (a file, a field, a command line) cannot be used."""


class UnreadableClip(GuardiaError):
    """A file cannot be used as a clip; it is skipped and everything else goes on."""


class ProjectError(GuardiaError):
    """The project folder or its disk refused something; not a fault of the program."""


class Cancelled(GuardiaError):
    """The person stopped a job; what was finished until then is kept."""

    def __init__(self) -> None:
        super().__init__("The job was stopped.", kept="What was finished until then is kept.")

    def __reduce__(self) -> tuple[type[Cancelled], tuple[()]]:
        """It comes out of other processes as it went in: a pool is broken by an error that cannot be made again."""
        return Cancelled, ()
