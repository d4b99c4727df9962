"""Values from JSON: checked by their types and names, with an error that names the place."""

from __future__ import annotations

import difflib
import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from guardia.core.base.errors import InvalidValue

T = TypeVar("T")

_UNKNOWN = ("unexpected_keyword_argument", "extra_forbidden")


def read_as(form: TypeAdapter[T], data: object, what: str) -> T:
    """Make a value of what a JSON file holds.

    Args:
        form: The type, as pydantic checks it: no number is taken for a word, no word for a number.
        data: Parsed JSON.
        what: What is read, for the message: 'The settings'.

    Returns:
        The value.

    Raises:
        InvalidValue: If a part is missing, of another type, or has a name that is not known; the first such place is
            named, and for a name the nearest that is known.
    """
    try:
        return form.validate_json(json.dumps(data), strict=True, extra="forbid")
    except (ValidationError, TypeError, ValueError) as error:
        reason = str(error)
        if isinstance(error, ValidationError):
            all_of_it = error.errors()
            # A name that is not known comes first: what is missing may only be written wrongly.
            unknown = next((e for e in all_of_it if e["type"] in _UNKNOWN), None)
            first = unknown or all_of_it[0]
            place = ".".join(map(str, first["loc"])) or "the whole"
            reason = unknown_name(place, _names(form.core_schema)) if unknown else f"{place}: {first['msg']}"
        raise InvalidValue(f"{what} cannot be read ({reason}).", do="See docs/formats.md.") from error


def unknown_name(place: str, known: Iterable[str]) -> str:
    """That a name is not known, with the nearest that is.

    Args:
        place: Where it stands, the name last, parted by points.
        known: The names that are known.

    Returns:
        Words for an error.
    """
    name = place.rpartition(".")[2]
    near = difflib.get_close_matches(name, list(known), n=1, cutoff=0.6)
    return f"{place}: this name is not known{f'; did you mean {near[0]!r}?' if near else ''}"


def _names(schema: Any) -> Iterator[str]:
    """Names of all fields of a type and of what it holds."""
    if isinstance(schema, Mapping):
        if schema.get("type") == "dataclass-field":
            yield str(schema["name"])
        for part in schema.values():
            yield from _names(part)
    elif isinstance(schema, list | tuple):
        for part in schema:
            yield from _names(part)
