"""One field for how balloons are sized where nobody measures their diameter."""

from __future__ import annotations

from kakushi.desktop.document.document import Document
from kakushi.desktop.forms.typed import TypedField
from kakushi.model.sizing import Sizing
from kakushi.words.sizing import read_sizing, sizing_words


def sizing_field(document: Document, name: str) -> TypedField:
    """A field for strokes, seconds, a range, a reference or a diameter; empty where they are measured."""
    field = TypedField(
        name,
        lambda words: read_sizing(words, document.units),
        lambda sizing: sizing_words(sizing, document.units) if isinstance(sizing, Sizing) else "",
        lambda: document.units,
    )
    field.setPlaceholderText("measured")
    field.setToolTip("3 strokes, 2.4 s, 4 to 5 in, like the reference, or as they come")
    return field
