"""A job as one HTML page for the phone: steps one at a time, lists to tick, cards; nothing from outside it.

The page runs no script but its own: a content policy names that by its hash, and everything a job says is text.
"""

from __future__ import annotations

import base64
import hashlib
import io
import json
from collections.abc import Iterator, Sequence
from html import escape
from itertools import groupby
from typing import Any

from kakushi.building.progress import goes_of
from kakushi.building.step import Step
from kakushi.building.steps import steps_of_copy
from kakushi.colour.rgb import is_dark
from kakushi.formats.export.png import piece_image
from kakushi.formats.store.paths import data_path
from kakushi.model.job import Job
from kakushi.model.piece import copy_name
from kakushi.model.units import UnitSystem
from kakushi.plan.values import PiecePlan
from kakushi.words.cards import card_name, card_steps, sizes_words
from kakushi.words.cells import cell_words
from kakushi.words.counts import balloons_words, height_words
from kakushi.words.lists import Listing, lists_of
from kakushi.words.rows import Said
from kakushi.words.step_text import StepText, said_once, text_at_hand
from kakushi.words.wording import Wording, capital, ranges
from kakushi.workshop.dossier import Dossier

_PICTURES_BYTES = 1_800_000
"""Most bytes of all pictures together, as text: the page stays under 3 MB."""
_TALL_PX = (520, 380, 260, 160, 96)
"""Heights that pictures are tried in, px, until all of them fit."""
_QUALITY = 78
_TABS = (("steps", "Steps"), ("pieces", "Pieces"), ("supplies", "Supplies"), ("inflate", "Inflate"), ("cards", "Cards"))
_LISTS = {"supplies": ("supplies", "materials"), "inflate": ("inflation",)}


def phone_html(dossier: Dossier, units: UnitSystem = UnitSystem.METRIC) -> str:
    """The page."""
    job, lists = dossier.plan.job, lists_of(dossier, units)
    style, script = (data_path("phone", name).read_text(encoding="utf-8") for name in ("page.css", "page.js"))
    pictures = _pictures([*dossier.plan.pieces], job)
    told = _json(phone_steps(dossier, units, pictures))
    pages = {
        "steps": _STEPS,
        "pieces": "".join(_pieces(dossier, units, pictures)),
        **{
            page: "".join(line for key in keys for line in _lines(lists[key], job, units))
            for page, keys in _LISTS.items()
        },
        "cards": "".join(_cards(dossier, units)),
    }
    tabs = "".join(f'<button type="button" data-page="{page}">{words}</button>' for page, words in _TABS)
    sections = "".join(f'<section id="{page}">{pages[page]}</section>' for page, _ in _TABS)
    title = escape(job.brief.title)
    policy = (
        f"default-src 'none'; img-src data:; style-src 'sha256-{_hash(style)}'; "
        f"script-src 'sha256-{_hash(script)}'; base-uri 'none'; form-action 'none'"
    )
    return (
        '<!doctype html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n'
        f'<meta http-equiv="Content-Security-Policy" content="{policy}">\n'
        '<meta name="viewport" content="width=device-width, initial-scale=1">\n'
        f"<title>{title}</title>\n<style>{style}</style>\n</head>\n<body>\n"
        f'<h1 dir="auto">{title}</h1>\n<nav>{tabs}</nav>\n<main>{sections}</main>\n'
        f'<script type="application/json" id="told">{told}</script>\n<script>{script}</script>\n</body>\n</html>\n'
    )


_STEPS = (
    '<select id="copy" aria-label="What is built" dir="auto"></select><p class="quiet" id="count"></p>'
    '<div class="headline" id="headline" dir="auto" aria-live="polite"></div>'
    '<p class="note" id="note" dir="auto"></p><div class="bunches" id="bunches"></div>'
    '<img class="picture" id="picture" alt=""><p class="quiet" id="how" dir="auto"></p>'
    '<div class="acts"><button type="button" id="back">Back</button>'
    '<button type="button" class="done" id="done">Done</button></div>'
)


def _hash(text: str) -> str:
    """A hash as content policies name it."""
    return base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def _json(value: Any) -> str:
    """JSON that ends no element, whatever it holds."""
    return json.dumps(value, separators=(",", ":")).replace("<", "\\u003c").replace("&", "\\u0026")


def phone_steps(dossier: Dossier, units: UnitSystem, pictures: list[str]) -> dict[str, Any]:
    """The steps, each text once; copies list theirs by number. Ticks are kept for this very job."""
    plan, wording = dossier.plan, Wording(dossier.plan.job, units)
    places = {piece.piece.key: place for place, piece in enumerate(plan.pieces)}
    texts: dict[str, int] = {}
    colours: dict[str, int] = {}
    copies = []
    # What has to dry is begun for all pieces first; here a copy is built from its first step to its last.
    of_copies: dict[tuple[int | None, int | None], list[Step]] = {}
    for step in dossier.steps:
        of_copies.setdefault((step.piece, step.copy), []).append(step)
    for (key, copy), group in of_copies.items():
        piece = plan.piece(key) if key is not None else None
        name = copy_name(piece.piece, copy) if piece is not None and copy is not None else "For the whole job"
        known: dict[str, Said] = {}
        numbers = [
            texts.setdefault(_json(_go(go, said_once(text_at_hand(go, wording), known), colours)), len(texts))
            for go in goes_of(group)
        ]
        copies.append({"name": name, "piece": None if key is None else places[key], "steps": numbers})
    looks = [
        [colour.name, colour.hex, colour.code, "#fff" if is_dark(colour.hex) else "#1a1815"]
        for colour in map(plan.job.colour, colours)
    ]
    told = {"copies": copies, "texts": [json.loads(text) for text in texts], "colours": looks}
    own = hashlib.sha256(_json([plan.job.brief.title, told]).encode()).hexdigest()[:16]
    return {"job": own, "pictures": pictures, **told}


def _go(steps: Sequence[Step], text: StepText, colours: dict[str, int]) -> list[Any]:
    """Headline, note, how, and the bunches by numbers of their colours, of what is done in one go.

    Bunches are drawn, and told: whether they are crossed or laid on is not seen in a drawing.
    """
    ties = [bunch for step in steps for bunch in (step.laid.ties if step.laid is not None else step.ties)]
    bunches = [[colours.setdefault(balloon.colour, len(colours)) for balloon in bunch] for bunch in ties]
    note = " ".join(filter(None, (text.note and f"{text.note.rstrip('.')}.", capital(text.bunches))))
    return [text.headline, note, text.how, bunches]


def _pictures(pieces: list[PiecePlan], job: Job) -> list[str]:
    """Pictures of the pieces as data, as large as all of them may be; none where even small ones are too many."""
    for tall in _TALL_PX:
        made: list[str] = []
        for piece in pieces:
            buffer = io.BytesIO()
            piece_image(piece, job, tall * 3 // 4, tall).save(buffer, "JPEG", quality=_QUALITY)
            made.append(f"data:image/jpeg;base64,{base64.b64encode(buffer.getvalue()).decode()}")
            if sum(map(len, made)) > _PICTURES_BYTES:
                break
        else:
            return made
    return [""] * len(pieces)


def _pieces(dossier: Dossier, units: UnitSystem, pictures: list[str]) -> Iterator[str]:
    for piece, picture in zip(dossier.plan.pieces, pictures, strict=True):
        name = escape(piece.piece.name)
        shown = f'<img class="picture" src="{picture}" alt="{name}">' if picture else ""
        copies = len(piece.piece.copies)
        steps = steps_of_copy(dossier.steps, piece.piece.key, 0)
        facts = f"{', '.join(height_words(piece, units))} · {balloons_words(steps)}"
        times = f" × {copies}" if copies > 1 else ""
        yield f'<h2 dir="auto">{name}{times}</h2>{shown}<p class="quiet">{escape(facts)}</p>'


def _lines(listing: Listing, job: Job, units: UnitSystem) -> Iterator[str]:
    """A list as lines to tick: what it is, and below that how many, each figure with its heading."""
    yield f"<h2>{escape(listing.title)}</h2>"
    for row in listing.rows:
        cells = [cell_words(column, cell, job, units) for column, cell in zip(listing.columns, row, strict=True)]
        tick = hashlib.sha256("\n".join((listing.key, *cells)).encode()).hexdigest()[:12]
        named = [cell for column, cell in zip(listing.columns, cells, strict=True) if column.kind in _NAMES and cell]
        told = [
            f"{column.head.casefold()} {cell}"
            for column, cell in zip(listing.columns, cells, strict=True)
            if column.kind not in _NAMES and cell not in _NOTHING
        ]
        yield (
            f'<label class="line"><input type="checkbox" data-tick="{tick}"><span dir="auto">'
            f"<strong>{escape(', '.join(named))}</strong><br>{escape(' · '.join(told))}</span></label>"
        )


_NAMES = frozenset({"text", "nominal", "colour"})
"""Kinds of columns that say what a line is of."""
_NOTHING = frozenset({"", "0"})
"""Cells that nobody has to read on a phone."""


def _cards(dossier: Dossier, units: UnitSystem) -> Iterator[str]:
    wording = Wording(dossier.plan.job, units)
    names = {piece.piece.key: piece.piece.name for piece in dossier.plan.pieces}
    for index, card in enumerate(dossier.cards):
        of_pieces = [
            f"{names.get(key, '')}: {'row' if len({row.row for row in rows}) == 1 else 'rows'} "
            f"{ranges(sorted({row.row + 1 for row in rows}))}"
            for key, rows in ((key, list(group)) for key, group in groupby(card.rows, key=lambda row: row.piece))
        ]
        sizes = sizes_words(tuple(card.cluster.balloons), wording)
        yield f"<h2>Card {card_name(index)}: {escape(sizes)}</h2>"
        yield f'<p class="quiet" dir="auto">{escape("; ".join(of_pieces))}</p>'
        yield f'<p dir="auto">{escape(" ".join(card_steps(card, wording)))}</p>'
