"""The default packings against the figures of practice: `benchmarks/figures_of_practice.py` measures them."""

from __future__ import annotations

import importlib.util
import sys
from pathlib import Path

import pytest

_PATH = Path(__file__).parents[1] / "benchmarks" / "figures_of_practice.py"
_SPEC = importlib.util.spec_from_file_location("figures_of_practice", _PATH)
assert _SPEC is not None
assert _SPEC.loader is not None
practice = importlib.util.module_from_spec(_SPEC)
sys.modules[_SPEC.name] = practice
_SPEC.loader.exec_module(practice)


@pytest.mark.parametrize("figure", practice.FIGURES, ids=lambda figure: figure.words)
def test_the_model_gives_the_figures_of_practice(figure) -> None:
    values = figure.measure(practice.snug())
    assert min(values) >= figure.low
    assert max(values) <= figure.high


@pytest.mark.parametrize("tau", [practice.LOOSE, practice.TIGHT])
def test_quads_lie_flat_however_tightly_they_are_packed(tau: float) -> None:
    assert practice.quads_as_practised(practice.snug(tau=tau)) == [1.0]
