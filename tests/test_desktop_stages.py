"""The registry of stages, and that every kind of layer has its fields."""

from __future__ import annotations

import pytest

from kakushi.colour import layer_table
from kakushi.desktop.stages.colour.layer_form import FORMS
from kakushi.desktop.stages.registry import STAGES, key_of
from kakushi.model.groups import RowsGroup
from kakushi.session import edits


def test_every_kind_of_layer_has_its_fields() -> None:
    assert set(FORMS) == set(layer_table.KINDS)


@pytest.mark.parametrize("stage", STAGES, ids=lambda stage: stage.name)
def test_every_stage_opens_with_an_empty_job_and_with_the_demo(window, planned, stage) -> None:
    window.show_stage(stage.name)
    window.files.open_demo()
    planned(window)
    window.show_stage(stage.name)
    assert window.stage(stage.name).panel.isVisible()
    assert window.stage(stage.name).view().isVisible()
    window.switch_theme()
    assert window.stage(stage.name).panel.isVisible()


def test_stages_say_what_they_still_need(window) -> None:
    needs = {stage.name: stage.needs for stage in STAGES}
    document = window.document
    document.apply(edits.add_new_piece(7))
    assert needs["brief"](document) == "No date yet"
    assert needs["shape"](document) == "No rows yet: Piece 7"
    assert needs["colour"](document) == ""
    assert needs["stand"](document) == "No pole length yet: Piece 7"
    document.apply(edits.set_piece(7, "Clear", layers=(), groups=(RowsGroup(),)))
    assert needs["colour"](document) == "No colours yet: Piece 7"


def test_no_two_stages_share_a_key() -> None:
    keys = [key for key in map(key_of, range(len(STAGES) + 3)) if key]
    assert len(keys) == len(set(keys)) == 10
