"""The base of every stored value: frozen, strict about unknown keys, hashable."""

from __future__ import annotations

from typing import TypeVar, cast

from pydantic import BaseModel, ConfigDict, ValidationError

V = TypeVar("V", bound="Value")

# Characters of a fault that are shown: a sentence, whatever a file holds.
_SHOWN = 160


class Value(BaseModel):
    """A frozen value; equality and hash go by content, so it can key a cache.

    The hash is worked out once: a piece of 500 copies is asked for it thousands of times.
    """

    __slots__ = ("_hash",)

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def __hash__(self) -> int:
        try:
            return cast(int, object.__getattribute__(self, "_hash"))
        except AttributeError:
            value = hash((type(self), *(self.__dict__[name] for name in type(self).model_fields)))
            object.__setattr__(self, "_hash", value)
            return value


def replace(value: V, **changes: object) -> V:
    """A copy of `value` with `changes`, validated again. Raises pydantic's ValidationError."""
    return type(value).model_validate({**dict(value), **changes})


def first_fault(error: ValidationError) -> tuple[str, str]:
    """Where the first fault of a value lies, and what it is; both short, whatever was in the value."""
    fault = error.errors(include_url=False, include_input=False, include_context=False)[0]
    where = " › ".join(str(part)[:40] for part in fault["loc"][:8])
    return where[:_SHOWN], fault["msg"].removeprefix("Value error, ")[:_SHOWN]
