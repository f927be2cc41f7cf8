"""Strands in the window: bent, fitted, drawn by hand, tied, undone, and seen in every stage."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPointF, Qt

from driving import choose, part, press, type_into
from kakushi.model.joints import JointKind
from kakushi.model.paths import DrawnPath, PresetPath
from kakushi.plan.strands import marks_of, strands_of

Key, Button = Qt.Key, Qt.MouseButton


def bent(window):
    return window.document.piece.groups[0].strand


def test_a_link_frame_is_added_widened_and_braced(demo, planned, qtbot) -> None:
    demo.document.selection.select_piece(3)
    planned(demo)
    before = demo.document.piece
    choose(part(demo, "What to add"), "link frame")
    press(demo, "Add on top")
    planned(demo)
    frame = demo.document.piece.groups[-1]
    type_into(part(demo, "Windows across"), "3")
    type_into(part(demo, "Windows up"), "1")
    type_into(part(demo, "length of a link from tip to tip"), "40 cm")
    part(demo, "A diagonal in every window").click()
    planned(demo)
    frame = demo.document.piece.groups[-1]
    assert (len(frame.joints), len(frame.chains), frame.chains[0].length_mm) == (8, 10, 400)
    assert len(demo.document.piece_plan.assembly.frames[0][1].modes) == 1
    # A joint is dragged, and let go outside; it is joined to another by a double click.
    elevation, paths = demo.workbench.elevation, demo.workbench.elevation.paths
    press(demo, "Move its joints by hand")
    start = paths._spots()[-1]
    for act, spot in ((qtbot.mousePress, start), (qtbot.mouseRelease, start + QPointF(4000, -20))):
        act(elevation, Button.LeftButton, pos=spot.toPoint())
    assert demo.document.piece.groups[-1].joints[-1] == frame.joints[-1]
    elevation.setFocus()
    for key in (Key.Key_BracketRight, Key.Key_Right, Key.Key_Up):
        qtbot.keyClick(elevation, key)
    moved = demo.document.piece.groups[-1].joints
    assert (moved[0].x_mm, moved[0].z_mm) != (frame.joints[0].x_mm, frame.joints[0].z_mm) or moved != frame.joints
    for stage in ("colour", "dress", "stand", "build", "shape"):
        demo.show_stage(stage)
        planned(demo)
    while demo.document.session.undo_name:
        demo.document.undo()
    assert demo.document.piece == before


def test_rows_are_bent_fitted_drawn_tied_and_undone(demo, planned, qtbot, tmp_path: Path) -> None:
    demo.document.selection.select_piece(3)
    planned(demo)
    before = demo.document.piece
    box = demo.stage("shape").panel.groups.strand
    choose(part(demo, "Bent along"), "an arch")
    assert isinstance(bent(demo).path, PresetPath)
    assert (demo.document.piece.frame.kind, demo.document.piece.joint) == ("line", JointKind.LINE_EIGHT)
    type_into(part(demo, "width of the path"), "160 cm")
    type_into(part(demo, "height of the path"), "210 cm")
    assert (bent(demo).path.width_mm, bent(demo).path.height_mm) == (1600, 2100)
    with qtbot.waitSignal(demo.document.chooser.running, timeout=20_000):
        press(demo, "Choose rows")
    qtbot.waitUntil(lambda: demo.document.piece.rows != before.rows, timeout=30_000)
    planned(demo)
    piece_plan = demo.document.piece_plan
    ((_, group, laid),) = strands_of(piece_plan.piece, piece_plan.assembly)
    assert abs(laid.missing_mm) < laid.geometry.frames.rises.mean()
    assert marks_of(group, laid)
    press(demo, "As large as its rows make it")
    planned(demo)
    ((_, _, laid),) = strands_of(demo.document.piece, demo.document.piece_plan.assembly)
    assert abs(laid.missing_mm) < 1
    # Its points are dragged on the elevation, with nothing lost when the hand lets go outside.
    elevation = demo.workbench.elevation
    qtbot.mouseClick(box.by_hand, Button.LeftButton)
    spots = elevation.paths._spots()
    start = spots[3].toPoint()
    qtbot.mousePress(elevation, Button.LeftButton, pos=start)
    qtbot.mouseMove(elevation, (spots[3] + QPointF(-25, 10)).toPoint())
    qtbot.mouseRelease(elevation, Button.LeftButton, pos=(spots[3] + QPointF(-25, 10)).toPoint())
    drawn = bent(demo).path
    assert isinstance(drawn, DrawnPath)
    points = len(drawn.points)
    elevation.setFocus()
    for key in (Key.Key_BracketRight, Key.Key_Left, Key.Key_Up, Key.Key_Delete):
        qtbot.keyClick(elevation, key)
    assert len(bent(demo).path.points) == points - 1
    qtbot.keyClick(elevation, Key.Key_Escape)
    assert elevation.paths.place is None
    # Ties, by number.
    type_into(part(demo, "Row that is tied"), "2")
    type_into(part(demo, "Row it is tied to"), "9")
    part(demo, "Loose, to be bent yet").click()
    press(demo, "Tie")
    (tie,) = demo.document.piece.ties
    rows = demo.document.piece.rows
    assert (tie.row, tie.other, tie.loose) == (rows[1].key, rows[8].key, True)
    ties = part(demo, "Ties")
    assert ties.item(0).text() == "Row 2 to row 9, loosely"
    press(demo, "Hide with a collar")
    assert not demo.document.piece.parts, "no tie was chosen"
    ties.setCurrentRow(0)
    press(demo, "Hide with a collar")
    assert [(each.kind, each.row) for each in demo.document.piece.parts] == [("collar", rows[1].key)]
    type_into(part(demo, "Row that is tied"), "400")
    press(demo, "Tie")
    assert len(demo.document.piece.ties) == 1
    for stage in ("colour", "dress", "stand", "build", "shape"):
        demo.show_stage(stage)
        planned(demo)
    file = tmp_path / "rope.svg"
    file.write_text('<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 900 L0 0 L500 0" fill="none"/></svg>')
    box.load(file)
    assert len(bent(demo).path.points) == 3
    box.load(tmp_path / "none.svg")
    assert len(bent(demo).path.points) == 3
    while demo.document.session.undo_name:
        demo.document.undo()
    assert demo.document.piece == before
