"""Pieces as glTF binary (GLB): swollen balloons, necks, frame and parts, to be turned in any viewer.

One node for each balloon of a row, named by its row and slot; balloons of one look share one mesh. Lengths are metres,
y is up, the front looks along +z, as glTF has it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from kakushi.dress.bodies import Body
from kakushi.dress.kind import BallMaterial
from kakushi.dress.table import name_of
from kakushi.model.arrays import Floats
from kakushi.model.catalogue import Finish
from kakushi.model.frame import Frame
from kakushi.model.job import Job
from kakushi.picture.paint import rgb_share
from kakushi.picture.scene import pole_of
from kakushi.plan.values import PiecePlan, Plan

_BALLOON_DETAIL, _SMALL_DETAIL = 3, 1
"""Subdivisions of the icosahedron: 1,280 faces for a balloon, whose edge looks round; 80 for a bead of other things."""
_POLE_SIDES = 24
"""Sides of poles and bases."""
_APART_MM = 400.0
"""Between pieces of a whole job, mm."""
_GREY = "#9a9a9a"
"""Look of poles and bases."""
_METALLIC = {Finish.METALLIC: 0.6, Finish.MIRROR: 1.0, Finish.PEARL: 0.2}
_ROUGHNESS = {Finish.MIRROR: 0.08, Finish.METALLIC: 0.3, Finish.MATTE: 0.85, Finish.PEARL: 0.3}
_USUAL_ROUGHNESS, _CLEAR_OPACITY = 0.35, 0.35
"""How glTF's metal-and-roughness model takes our finishes."""
# From x right, y away, z up in mm to x right, y up, z towards the viewer in metres.
_AXES = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]]) / 1000


@dataclass(frozen=True, slots=True)
class _Look:
    """A colour and finish that balloons share a mesh and a material for."""

    hex: str
    finish: Finish


def piece_glb(piece: PiecePlan, job: Job) -> bytes:
    """One piece as a GLB file."""
    return _Scene(job).with_piece(piece, 0.0).data()


def job_glb(plan: Plan) -> bytes:
    """All pieces of a job side by side, one copy of each, as a GLB file."""
    scene, right = _Scene(plan.job), 0.0
    for piece in plan.pieces:
        out = np.abs(piece.drawn.centres[:, 0]) + piece.drawn.shape_radii
        half = float(out.max(initial=100.0))
        scene.with_piece(piece, right + half)
        right += 2 * half + _APART_MM
    return scene.data()


class _Scene:
    """Collects meshes and nodes."""

    def __init__(self, job: Job) -> None:
        # Takes a third of a second to load, and nothing else needs it.
        import trimesh  # noqa: PLC0415 - see above

        self._trimesh: Any = trimesh
        self._job = job
        self._scene: Any = trimesh.Scene()
        self._meshes: dict[_Look, str] = {}
        self._names: dict[str, int] = {}

    def data(self) -> bytes:
        """The file's content."""
        return bytes(self._scene.export(file_type="glb", include_normals=True))

    def with_piece(self, piece: PiecePlan, right: float) -> _Scene:
        """Add a piece, its middle so far to the right, mm."""
        drawn, keys = piece.drawn, piece.drawn_colours()
        on_balloons = len(drawn.radii) - sum(len(body) for _, body in piece.bodies)
        shift = np.array([right, 0.0, 0.0])
        for index in range(on_balloons):
            row, slot = int(drawn.row_of[index]), int(drawn.slot_of[index])
            where = f"row {row + 1} slot {slot + 1}" if row >= 0 else "ball"
            self._balloon(f"{piece.piece.name}, {where}", drawn.centres[index] + shift, drawn.shape_radii[index],
                          self._look(keys[index]))  # fmt: skip
        at, skins = on_balloons, piece.drawn_skins()
        for part, body in piece.bodies:
            name, skin = f"{piece.piece.name}, {name_of(part)}", skins[at]
            if skin is BallMaterial.BALLOON and len(body) <= _MOST_BALLOONS:
                for centre, radius, key in zip(body.centres, body.radii, body.colours, strict=True):
                    self._balloon(name, centre + shift, float(radius), self._look(key))
            else:
                self._beads(name, body, shift, Finish.MIRROR if skin is BallMaterial.FOIL else Finish.MATTE)
            at += len(body)
        self._beads(f"{piece.piece.name}, necks and wraps", piece.trimmings, shift, None)
        self._frame(piece, shift)
        return self

    def _look(self, key: str) -> _Look:
        colour = self._job.colour(key)
        return _Look(colour.hex, colour.finish)

    def _material(self, look: _Look) -> Any:
        r, g, b = (_linear(value) for value in rgb_share(look.hex))
        clear = look.finish.is_clear
        return self._trimesh.visual.material.PBRMaterial(
            name=f"{look.finish.value} {look.hex}",
            baseColorFactor=[r, g, b, _CLEAR_OPACITY if clear else 1.0],
            metallicFactor=_METALLIC.get(look.finish, 0.0),
            roughnessFactor=_ROUGHNESS.get(look.finish, _USUAL_ROUGHNESS),
            alphaMode="BLEND" if clear else "OPAQUE",
        )

    def _balloon(self, name: str, centre: Floats, radius: float, look: _Look) -> None:
        """A balloon as a node of its own that shares the mesh of its look."""
        matrix = np.eye(4)
        matrix[:3, :3] *= radius / 1000
        matrix[:3, 3] = _AXES @ centre
        if look in self._meshes:
            self._scene.graph.update(frame_to=self._named(name), matrix=matrix, geometry=self._meshes[look])
            return
        ball = self._trimesh.creation.icosphere(subdivisions=_BALLOON_DETAIL, radius=1.0)
        ball.visual = self._trimesh.visual.TextureVisuals(material=self._material(look))
        self._meshes[look] = f"balloon {len(self._meshes) + 1}"
        self._scene.add_geometry(ball, geom_name=self._meshes[look], node_name=self._named(name), transform=matrix)

    def _beads(self, name: str, body: Body, shift: Floats, finish: Finish | None) -> None:
        """Balls of something that is no balloon: one mesh for each colour."""
        bead = self._trimesh.creation.icosphere(subdivisions=_SMALL_DETAIL, radius=1.0)
        keys = np.array(body.colours)
        for key in dict.fromkeys(body.colours):
            of_key = np.flatnonzero(keys == key)
            look = self._look(key)
            centres = (body.centres[of_key] + shift) @ _AXES.T
            radii = body.radii[of_key] / 1000
            points = (centres[:, None] + radii[:, None, None] * bead.vertices).reshape(-1, 3)
            faces = (bead.faces[None] + (np.arange(len(of_key)) * len(bead.vertices))[:, None, None]).reshape(-1, 3)
            self._mesh(name, points, faces, look if finish is None else _Look(look.hex, finish))

    def _mesh(self, name: str, points: Floats, faces: Floats, look: _Look) -> None:
        mesh = self._trimesh.Trimesh(points, faces, process=False)
        mesh.visual = self._trimesh.visual.TextureVisuals(material=self._material(look))
        node = self._named(name)
        self._scene.add_geometry(mesh, geom_name=node, node_name=node)

    def _frame(self, piece: PiecePlan, shift: Floats) -> None:
        """The pole, and the base under it."""
        frame: Frame = piece.piece.frame
        pole = pole_of(frame, piece.drawn)
        tubes: list[tuple[str, float, float, float]] = []
        if pole is not None and pole.top > 0:
            tubes.append(("pole", pole.radius, 0.0, pole.top))
        if frame.base.is_under and frame.base.height_mm > 0 and not piece.assembly.strands:
            tubes.append(("base", frame.base.radius_mm, 0.0, frame.base.height_mm))
        for what, radius, low, high in tubes:
            tube = self._trimesh.creation.cylinder(radius=radius, height=high - low, sections=_POLE_SIDES)
            points = (tube.vertices + np.array([0.0, 0.0, (low + high) / 2]) + shift) @ _AXES.T
            self._mesh(f"{piece.piece.name}, {what}", points, tube.faces, _Look(_GREY, Finish.PLAIN))

    def _named(self, name: str) -> str:
        """A name no node has yet."""
        number = self._names[name] = self._names.get(name, 0) + 1
        return name if number == 1 else f"{name} ({number})"


_MOST_BALLOONS = 60
"""Balloons of one part that are nodes of their own."""


def _linear(value: float) -> float:
    """A share of light from one of sRGB, 0 to 1 (IEC 61966-2-1)."""
    return value / 12.92 if value <= 0.04045 else math.pow((value + 0.055) / 1.055, 2.4)
