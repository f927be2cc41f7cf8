"""The table of kinds of colour layer: everything that is asked of a layer goes through here."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from kakushi.colour.kinds import bands, checks, diamonds, gradient, mix, motif, rings, sizes, solid, spiral, stripes
from kakushi.colour.layer_kind import LayerKind, Lines, Palette
from kakushi.colour.surface import Surface
from kakushi.model.layers import ColourLayer, Side

_IN_THE_MENU = (solid, spiral, stripes, bands, rings, checks, diamonds, sizes, gradient, mix, motif)
KINDS: Mapping[str, LayerKind[Any]] = {
    module.KIND.value.model_fields["kind"].default: module.KIND for module in _IN_THE_MENU
}
"""By the name of the kind, in the order in which they are offered."""


def kind_of(layer: ColourLayer) -> LayerKind[Any]:
    """Everything that is known of a layer's kind."""
    return KINDS[layer.kind]


def laid(layer: ColourLayer, surface: Surface, cover: Callable[[], Lines]) -> Lines:
    """Colour key of every balloon. `cover()`: what covers the layer, for kinds that make room for it."""
    return kind_of(layer).laid(layer, surface, cover)


def colours_of(layer: ColourLayer) -> tuple[str, ...]:
    """The colour keys a layer uses, each once, in its order."""
    return tuple(dict.fromkeys(key for key in kind_of(layer).colours(layer) if key))


def layer_words(layer: ColourLayer) -> str:
    """A layer in a few words."""
    colours = len(colours_of(layer))
    told = kind_of(layer).said(layer) or f"{colours} colour{'s' if colours != 1 else ''}"
    return f"{layer.kind.capitalize()} · {told}"


def new_layer(kind: str, palette: Sequence[str], used: Sequence[str], side: Side) -> ColourLayer:
    """A new layer of a kind, in colours (keys) that the piece does not use yet where there are any."""
    keys = [*used, *(key for key in palette if key not in used)]
    second = keys[min(1, len(keys) - 1)]
    accent = next((key for key in palette if key not in used), second)
    layer: ColourLayer = KINDS[kind].made(Palette(keys[0], second, accent, keys[min(2, len(keys) - 1)], side))
    return layer
