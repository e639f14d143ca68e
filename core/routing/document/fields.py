"""Fields of stages with what people need to know of them: a label, a unit, a range.

The same metadata writes and reads the notation, builds the interface's fields, and documents the
JSON Schema, so that the three cannot drift apart.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel, Field
from pydantic.fields import FieldInfo

Unit = Literal[
    "dB",
    "%",
    "ms",
    "s",
    "Hz",
    "m",
    "°",
    "°C",
    "mA",
    "V",
    "mm",
    "kΩ",
    "H",
    "pF",
    "time",
    "ratio",
    "",
]


def quantity(
    default: float | str | None, label: str, unit: Unit, low: float, high: float, about: str = ""
) -> Any:
    """A number with a unit and a range."""
    return Field(
        default,
        ge=low,
        le=high,
        description=about or f"{label.capitalize()} in {unit}" if unit else label,
        json_schema_extra={"label": label, "unit": unit},
    )


def db(default: float, label: str, low: float = -120, high: float = 60, about: str = "") -> Any:
    return quantity(default, label, "dB", low, high, about)


def percent(
    default: float | None, label: str, low: float = 0, high: float = 100, about: str = ""
) -> Any:
    return quantity(default, label, "%", low, high, about)


def hertz(default: float | None, label: str, about: str = "") -> Any:
    return quantity(default, label, "Hz", 1, 96_000, about)


def duration(default: str | None, label: str, about: str = "") -> Any:
    """A note value or a time as typed: '1/8.', '319 ms'. A note value follows the tempo."""
    return Field(
        default,
        min_length=1,
        max_length=40,
        description=about or f"{label.capitalize()}: a note value or a time",
        json_schema_extra={"label": label, "unit": "time"},
    )


def choice(default: str | None, label: str, about: str = "") -> Any:
    return Field(default, description=about or label, json_schema_extra={"label": label})


def flag(label: str, about: str = "") -> Any:
    return Field(False, description=about or label, json_schema_extra={"label": label})


def text(label: str, about: str = "") -> Any:
    return Field(
        None,
        max_length=60,
        description=about or label,
        json_schema_extra={"label": label, "unit": "text"},
    )


@dataclass(frozen=True)
class Parameter:
    """One settable field of a kind, as the notation and the interface see it."""

    field: str
    label: str
    sort: Literal["number", "time", "choice", "flag", "text", "whole"]
    unit: str
    default: Any
    low: float | None
    high: float | None
    choices: tuple[str, ...]
    about: str
    optional: bool
    values: tuple[Any, ...] = ()
    """What the choices stand for."""


def _parameter(name: str, info: FieldInfo) -> Parameter | None:
    extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else None
    if extra is None:
        return None
    unit = str(extra.get("unit", ""))
    kinds = get_args(info.annotation) if get_origin(info.annotation) else (info.annotation,)
    optional = type(None) in kinds
    plain = [k for k in kinds if k is not type(None)]
    values: tuple[Any, ...] = ()
    if get_origin(info.annotation) is Literal:
        plain, values = [str], get_args(info.annotation)
    elif len(plain) == 1 and get_origin(plain[0]) is Literal:
        plain, values = [str], get_args(plain[0])
    choices = tuple(str(c) for c in values)
    low = next((getattr(m, "ge", None) for m in info.metadata if hasattr(m, "ge")), None)
    high = next((getattr(m, "le", None) for m in info.metadata if hasattr(m, "le")), None)
    sort: Any = "number"
    if choices:
        sort = "choice"
    elif plain == [bool]:
        sort = "flag"
    elif unit == "time":
        sort = "time"
    elif unit == "text":
        sort = "text"
    elif plain == [int]:
        sort = "whole"
    return Parameter(
        name,
        str(extra["label"]),
        sort,
        "" if unit in ("time", "text") else unit,
        info.default,
        low,
        high,
        choices,
        info.description or "",
        optional,
        values,
    )


@lru_cache(maxsize=64)
def parameters_of(model: type[BaseModel]) -> tuple[Parameter, ...]:
    """The settable fields of a kind, its own before the ones that every stage has."""
    found = [_parameter(name, info) for name, info in model.model_fields.items()]
    inherited = {name for base in model.__mro__[1:] for name in getattr(base, "model_fields", {})}
    kept = [p for p in found if p is not None]
    return tuple(sorted(kept, key=lambda p: p.field in inherited))
