"""The base of every stored value: frozen, strict about unknown keys, hashable."""

from __future__ import annotations

from typing import TypeVar

from pydantic import BaseModel, ConfigDict

V = TypeVar("V", bound="Value")


class Value(BaseModel):
    """A frozen value; equality and hash go by content, so it can key a cache."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


def replace(value: V, **changes: object) -> V:
    """A copy of `value` with `changes`, validated again. Raises pydantic's ValidationError."""
    return type(value).model_validate({**dict(value), **changes})
