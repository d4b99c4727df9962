"""Values from JSON: checked by their types, with an error that names the place."""

from __future__ import annotations

import json
from typing import TypeVar

from pydantic import TypeAdapter, ValidationError

from guardia.core.base.errors import InvalidValue

T = TypeVar("T")


def read_as(form: TypeAdapter[T], data: object, what: str) -> T:
    """Make a value of what a JSON file holds.

    Args:
        form: The type, as pydantic checks it: no number is taken for a word, no word for a number.
        data: Parsed JSON.
        what: What is read, for the message: 'The settings'.

    Returns:
        The value.

    Raises:
        InvalidValue: If a part is missing or of another type; the first such place is named.
    """
    try:
        return form.validate_json(json.dumps(data), strict=True)
    except (ValidationError, TypeError, ValueError) as error:
        reason = str(error)
        if isinstance(error, ValidationError):
            first = error.errors()[0]
            reason = f"{'.'.join(map(str, first['loc'])) or 'the whole'}: {first['msg']}"
        raise InvalidValue(f"{what} cannot be read ({reason}).", do="See docs/formats.md.") from error
