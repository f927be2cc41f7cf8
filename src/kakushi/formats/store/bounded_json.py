"""JSON from outside, with what it may hold counted before anything is made of it."""

from __future__ import annotations

import json

from kakushi.model.errors import BadInput

Json = dict[str, "Json"] | list["Json"] | str | int | float | bool | None


def bounded_json(text: bytes, most_values: int, most_depth: int, longest_list: int) -> Json:
    """What JSON text says. Raises BadInput, a phrase that fits after a colon, for text that is none or beyond a limit.

    `most_values` in all, `most_depth` of lists and objects within each other, `longest_list` entries of a list.
    """
    # Every value but the first follows one of these; those within strings only make the count larger.
    if text.count(b",") + text.count(b"[") + text.count(b"{") > most_values:
        raise BadInput("it holds too many values")
    try:
        value: Json = json.loads(text.decode("utf-8"))
    except RecursionError as error:
        raise BadInput("it is nested too deeply") from error
    except ValueError as error:
        raise BadInput("its text cannot be read") from error
    level = [value]
    for _ in range(most_depth):
        inner: list[Json] = []
        for one in level:
            if isinstance(one, list) and len(one) > longest_list:
                raise BadInput("it holds too long a list")
            inner += one if isinstance(one, list) else one.values() if isinstance(one, dict) else ()
        level = [one for one in inner if isinstance(one, list | dict)]
        if not level:
            return value
    raise BadInput("it is nested too deeply")
