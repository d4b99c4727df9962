"""Bounds of a value, said once at its type: what is made of files is held against them, and published with them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, get_args, get_type_hints

from pydantic import GetJsonSchemaHandler, TypeAdapter
from pydantic.json_schema import GenerateJsonSchema, JsonSchemaValue
from pydantic_core import CoreSchema, core_schema

from guardia.core.base.errors import InvalidValue


@dataclass(frozen=True)
class Bounds:
    """A number's bounds: `Annotated[float, Bounds(0, 3600)]`."""

    low: float
    """The least, included."""
    high: float
    """The greatest, included."""
    above: bool = False
    """The least itself is not among them."""

    def holds(self, value: float) -> bool:
        """Whether a number lies within; one that is not finite never does."""
        return (self.low < value if self.above else self.low <= value) and value <= self.high

    def __get_pydantic_json_schema__(self, core: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        return handler(core) | {"exclusiveMinimum" if self.above else "minimum": self.low, "maximum": self.high}


@lru_cache(maxsize=256)
def _bounded(kind: type) -> tuple[tuple[str, Bounds], ...]:
    hints = get_type_hints(kind, include_extras=True)
    return tuple((name, bounds) for name, hint in hints.items() for bounds in _bounds_in(hint))


def _bounds_in(hint: Any) -> Iterator[Bounds]:
    """Those of a type, and of the parts of 'a number or none'."""
    yield from (m for m in getattr(hint, "__metadata__", ()) if isinstance(m, Bounds))
    yield from (bounds for part in get_args(hint) for bounds in _bounds_in(part))


def check_bounds(part: object) -> None:
    """Hold the numbers of a value against the bounds at their types; None is within any.

    Args:
        part: A dataclass or named tuple.

    Raises:
        InvalidValue: Naming the first that is out of bounds.
    """
    kind: Any = type(part)
    for name, bounds in _bounded(kind):
        value = getattr(part, name)
        if value is not None and not bounds.holds(value):
            above = "above " if bounds.above else ""
            raise InvalidValue(
                f"{name} is {value}, but must lie between {above}{bounds.low:g} and {bounds.high:g}.",
                do="Correct that number.",
            )


class _ByName(GenerateJsonSchema):
    """Every value has its name in a file, a named tuple's too, and other names are refused."""

    def dataclass_schema(self, schema: core_schema.DataclassSchema) -> JsonSchemaValue:
        return super().dataclass_schema(schema) | {"additionalProperties": False}

    def named_tuple_schema(self, schema: core_schema.NamedTupleSchema) -> JsonSchemaValue:
        placed = super().named_tuple_schema(schema)
        names = [field["name"] for field in schema["fields"]]
        return {
            "type": "object", "additionalProperties": False, "required": names[: placed.get("minItems", 0)],
            "properties": dict(zip(names, placed["prefixItems"], strict=True)),
        }  # fmt: skip

    def datetime_schema(self, schema: core_schema.DatetimeSchema) -> JsonSchemaValue:
        """Times on the site's clock: without the zone that "date-time" would ask for."""
        return self.str_schema(core_schema.str_schema(metadata=schema.get("metadata", {})))

    def field_title_should_be_set(self, _schema: object) -> bool:
        """None: a name need not be said twice."""
        return False


def schema_of(form: TypeAdapter[Any]) -> dict[str, Any]:
    """JSON Schema (2020-12) of a type as files hold it, with its bounds; what it refers to stands in its '$defs'."""
    return form.json_schema(schema_generator=_ByName)
