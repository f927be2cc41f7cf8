"""Plans as JSON, with the keys other tools rely on (`docs/format.md`)."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

import numpy as np

from kakushi.building.steps import steps_of_copy
from kakushi.colour.landing import RowTying
from kakushi.colour.tying import tying_of_row
from kakushi.dress.table import kind_of, name_of
from kakushi.model.catalogue import BalloonColour
from kakushi.model.groups import RowsGroup
from kakushi.model.job import Job
from kakushi.model.paths import PresetPath
from kakushi.model.roles import BalloonRole
from kakushi.model.units import UnitSystem
from kakushi.packing.strands import Laid
from kakushi.plan.strands import closes, marks_of, strands_of, weakest_joint
from kakushi.plan.values import PiecePlan
from kakushi.shape.report import Miss
from kakushi.sight.core_seen import CoreSeen
from kakushi.words.fit import reason_words
from kakushi.words.lists import Listing, lists_of
from kakushi.words.plan import concern_words, fault_words, note_words
from kakushi.words.stand import assumption_sentences, stage_words, stand_words
from kakushi.words.wording import Wording
from kakushi.workshop.dossier import Dossier
from kakushi.workshop.ledger import TiedKind, balloons_used
from kakushi.workshop.sized_by import is_unmeasured
from kakushi.workshop.supplies import SupplyLine


def plan_json(
    dossier: Dossier, only: str | None = None, geometry: bool = False, units: UnitSystem = UnitSystem.METRIC
) -> dict[str, Any]:
    """The whole plan and workshop lists as JSON, or only the piece named `only`; words in the chosen units."""
    plan = dossier.plan
    pieces = [p for p in plan.pieces if only is None or p.piece.name == only]
    lists = lists_of(dossier, UnitSystem.METRIC)
    return {
        "job": plan.job.brief.title,
        "pieces": [piece_json(p, dossier, geometry, units) | {"stand": _stand(p, dossier, units)} for p in pieces],
        "supplies": [_supply(line, plan.job) for line in dossier.supplies.whole],
        "duplets": [_tied(kind) for kind in dossier.tied],
        "spares_confidence": round(dossier.supplies.confidence, 4),
        **{key: _listing(listing) for key, listing in lists.items() if key not in ("supplies", "stand")},
        "work_minutes": {kind.value: round(minutes, 2) for kind, minutes in dossier.work.items()},
        "price": round(dossier.cost.price, 2),
    }


def _listing(listing: Listing) -> list[dict[str, Any]]:
    """A list as objects by column; lengths mm."""
    keys = [column.key for column in listing.columns]
    return [
        {k: round(c, 3) if isinstance(c, float) else c for k, c in zip(keys, row, strict=True)} for row in listing.rows
    ]


def _stand(piece: PiecePlan, dossier: Dossier, units: UnitSystem) -> dict[str, Any]:
    """How a piece stands, at every step of the build; masses g, lengths mm, gusts m/s."""
    stance = dossier.stance(piece)
    end = stance.finished.balance
    return {
        "mass_g": round(end.mass_g, 1),
        "centre_mm": [_mm(end.x), _mm(end.y), _mm(end.z)],
        "foot_radius_mm": _mm(stance.foot.radius),
        "tilt_deg": round(math.degrees(stance.leaning.balance.tilt), 2),
        "tilt_worst_step": stage_words(stance.leaning.stage),
        "push_n": round(stance.pushed.push.newtons, 2),
        "push_height_mm": _mm(stance.pushed.push.height),
        "push_slides": stance.pushed.push.slides,
        "push_worst_step": stage_words(stance.pushed.stage),
        "gust_mps": round(stance.windy.gust, 2) if math.isfinite(stance.windy.gust) else None,
        "gust_worst_step": stage_words(stance.windy.stage),
        "gust_expected_mps": stance.gust,
        "ballast_g": None if stance.ballast is None else round(stance.ballast.mass_g, 1),
        "base_mass_needed_g": None if stance.base_mass is None else round(stance.base_mass, 1),
        "base_radius_mm": _mm(stance.base_radius),
        "drag": stance.assumed.drag,
        "words": list(stand_words(piece, stance, units)),
        "assumptions": list(assumption_sentences(stance)),
    }


def _tying(tying: RowTying) -> dict[str, Any]:
    """How a row is tied; slots from 1."""
    return {
        "school": tying.school.value,
        "groups": [{"slots": [slot + 1 for slot in group]} for group in tying.groups],
        "crossed": [slot + 1 for slot in tying.crossed],
        "pole_between": None if tying.gap is None else [slot + 1 for slot in tying.gap],
        "half_turns": tying.half_turns,
        "lock": None if tying.lock is None else [slot + 1 for slot in tying.lock],
        "taught": tying.learnt,
    }


def _tied(kind: TiedKind) -> dict[str, Any]:
    """A kind of duplet (triplet, single); sizes are given together where they are all alike."""
    nominals = {b.nominal_in for b in kind.balloons}
    diameters = {b.diameter_mm for b in kind.balloons}
    return {
        "part": kind.part.value,
        "colours": [b.colour for b in kind.balloons],
        "nominal_in": nominals.pop() if len(nominals) == 1 else None,
        "diameter_mm": diameters.pop() if len(diameters) == 1 else None,
        "balloons": [
            {"nominal_in": b.nominal_in, "diameter_mm": b.diameter_mm, "colour": b.colour} for b in kind.balloons
        ],
        "count": kind.count,
    }


def piece_json(
    piece: PiecePlan, dossier: Dossier, geometry: bool = False, units: UnitSystem = UnitSystem.METRIC
) -> dict[str, Any]:
    """One piece; lengths in mm to the hundredth, match as a share of 1, words in the units asked for."""
    wording, key = Wording(dossier.plan.job, units), piece.piece.key
    told: dict[str, Any] = {
        "name": piece.piece.name,
        "copies": len(piece.piece.copies),
        "target_height_mm": _mm(piece.piece.target_height_mm),
        "height_mm": _mm(piece.height_mm),
        "overall_height_mm": _mm(piece.overall_height_mm),
        "match_mean": round(piece.match.mean, 4) if piece.match else None,
        "match_min": round(piece.match.worst, 4) if piece.match else None,
        "balloon_count": piece.balloon_count,
        "distinct_sizes": piece.distinct_sizes,
        "rows": [_row(piece, index, dossier) for index in range(len(piece.piece.rows))],
        "supplies": [_supply(line, dossier.plan.job) for line in dossier.supplies.pieces[key]],
        "uses": [
            {"kind": u.role, "nominal_in": u.nominal_in, "colour": u.colour, "count": int(u.count), "seen": u.seen}
            for u in balloons_used(steps_of_copy(dossier.steps, key, 0))
        ],
        "settled": {
            "converged": piece.geometry.report.converged,
            "residual": piece.geometry.report.residual,
            "largest_squish": round(piece.geometry.report.overlap_ratio, 4),
        },
        "pole_seen": _core_seen(piece.core_seen) if piece.core_seen else None,
        "warnings": [note_words(note, wording) for note in piece.warnings],
        "advice": [note_words(note, wording) for note in piece.advice],
        "colour_faults": [fault_words(fault) for fault in piece.faults],
        "set_aside": [concern_words(concern, wording) for concern in piece.set_aside],
    }
    strands = strands_of(piece.piece, piece.assembly)
    if strands:
        told["strands"] = [_strand(first, group, laid, dossier) for first, group, laid in strands]
        told |= {name: told["strands"][0][name] for name in ("arc_mm", "line_mm", "closes")}
    for first, _, laid in strands:
        for index, along in enumerate(_along(laid)):
            told["rows"][first + index] |= along
    if piece.assembly.frames:
        told["frames"] = [
            {
                "joints": [[_mm(x), _mm(z)] for x, _, z in frame.joints],
                "ways_to_lean": len(frame.modes),
                "weakest_joint": weakest_joint(piece.piece, place, frame),
                "largest_strain": round(float(np.abs(frame.strain).max()), 4),
                "links": [
                    {"chain": int(chain) + 1, "from_mm": [_mm(v) for v in a], "to_mm": [_mm(v) for v in b],
                     "thick_mm": _mm(thick)}
                    for chain, (a, b), thick in zip(frame.chain_of, frame.tips, frame.thick, strict=True)
                ],
            }
            for place, frame in piece.assembly.frames
        ]  # fmt: skip
    if geometry:
        told["balloons"] = _balloons(piece)
    return told


def _strand(first: int, group: RowsGroup, laid: Laid, dossier: Dossier) -> dict[str, Any]:
    """A strand: length of its path and of line through it, mm; rows and marks from 1, counted from both ends."""
    return {
        "first_row": first + 1,
        "rows": len(group.rows),
        "path": group.strand.path.preset if group.strand and isinstance(group.strand.path, PresetPath) else "drawn",
        "closed": laid.curve.is_closed,
        "closes": closes(group, laid),
        "arc_mm": _mm(laid.arc_mm),
        "used_mm": _mm(laid.used_mm),
        "line_mm": _mm(laid.used_mm + laid.slack_mm + 2 * dossier.plan.studio.frame_rules.line_tail_mm),
        "slack_mm": _mm(laid.slack_mm),
        "marks": [
            {"what": mark.kind.value, "row": mark.row + 1, "from_end": mark.from_end}
            | ({} if mark.through is None else {"through": mark.through + 1})
            for mark in marks_of(group, laid)
        ],
    }


def _along(laid: Laid) -> Iterator[dict[str, Any]]:
    """What is told of each row of a strand; the tangent in degrees anticlockwise from the right."""
    frames, bends = laid.geometry.frames, laid.bends
    for index, (origin, tangent) in enumerate(zip(frames.origins, frames.tangents, strict=True)):
        radius = float(bends.radius[index])
        yield {
            "x_mm": _mm(origin[0]),
            "tangent_deg": round(math.degrees(math.atan2(tangent[2], tangent[0])), 2),
            "radius_mm": _mm(radius) if math.isfinite(radius) else None,
            "gap_mm": _mm(bends.gap[index]),
            "crush_mm": _mm(bends.crush[index]),
        }


def _core_seen(seen: CoreSeen) -> dict[str, Any]:
    """Visible share of the pole (or the line where there is none), of 1; rows from 1."""
    return {
        "mean": round(seen.mean, 4),
        "largest": round(seen.worst, 4),
        "worst_azimuth_deg": round(math.degrees(seen.worst_azimuth), 1),
        "rows": [row + 1 for row in seen.rows],
    }


def miss_json(miss: Miss) -> dict[str, Any]:
    """A stretch where a fit misses its outline; heights from the foot, mm."""
    return {
        "from_mm": _mm(miss.low),
        "to_mm": _mm(miss.high),
        "wanted_mm": _mm(miss.wanted),
        "reached_mm": _mm(miss.reached),
        "reason": reason_words(miss.reason, UnitSystem.METRIC),
    }


def _mm(value: float) -> float:
    return round(float(value), 2)


def _row(piece: PiecePlan, index: int, dossier: Dossier) -> dict[str, Any]:
    row = piece.piece.rows[index]
    nominals = {slot.nominal_in for slot in row.slots}
    turn = piece.geometry.turn_of(index)
    measure = piece.measures[index]
    tying = tying_of_row(dossier.cards, piece.piece.key, index)
    return {
        "row": index + 1,
        "count": row.count,
        "nominal_in": nominals.pop() if len(nominals) == 1 else None,
        "diameter_mm": _mm(row.diameter_mm),
        "sizing": row.sizing.model_dump(exclude_defaults=True) if row.sizing else None,
        "unmeasured": is_unmeasured(row, dossier.plan.studio),
        "z_mm": _mm(piece.geometry.knots[index]),
        "turn_deg": round(math.degrees(float(turn)), 3),
        "flat": piece.lies_flat[index],
        "ring_mm": _mm(measure.ring),
        "width_mm": _mm(measure.width),
        "squish": round(measure.overlap_ratio, 4),
        "pole_gap_mm": _mm(measure.gap),
        "slots": [
            {"slot": i + 1, "nominal_in": s.nominal_in, "diameter_mm": _mm(s.diameter_mm), "colour": colour}
            for i, (s, colour) in enumerate(zip(row.slots, piece.colouring[index], strict=True))
        ],
        "tying": None if tying is None else _tying(tying),
    }


def _balloons(piece: PiecePlan) -> list[dict[str, Any]]:
    """Every balloon that is drawn; `part`: what it belongs to where it is of no row: a ball, or a part by its name."""
    drawn = piece.drawn
    balloons = [True] * len(piece.assembly.spheres[1])
    owners: list[str | None] = [None] * len(piece.geometry.radii)
    for part, count in piece.drawn_parts:
        owners += [name_of(part)] * count
        # Foil, ribbon, grass and toys are drawn of balls too.
        balloons += [kind_of(part).has_balloons or kind_of(part).lies_on] * count
    # Balls lie between rows and parts.
    balls = len(drawn.radii) - len(owners)
    owners[len(piece.geometry.radii) : len(piece.geometry.radii)] = [BalloonRole.BALL.value] * balls
    return [
        {
            "row": None if owner else int(drawn.row_of[i]) + 1,
            "slot": None if owner else int(drawn.slot_of[i]) + 1,
            "part": owner,
            "x_mm": _mm(drawn.centres[i, 0]),
            "y_mm": _mm(drawn.centres[i, 1]),
            "z_mm": _mm(drawn.centres[i, 2]),
            "diameter_mm": _mm(2 * drawn.radii[i]),
            "shape_mm": _mm(2 * drawn.shape_radii[i]),
            "colour": colour,
        }
        for i, (colour, owner, is_one) in enumerate(zip(piece.drawn_colours(), owners, balloons, strict=True))
        if is_one
    ]


def _supply(line: SupplyLine, job: Job) -> dict[str, Any]:
    colour: BalloonColour = job.colour(line.colour)
    return {
        "nominal_in": line.nominal_in,
        "colour": line.colour,
        "colour_name": colour.name,
        "needed": line.needed,
        "spares": line.spares,
        "total": line.total,
    }
