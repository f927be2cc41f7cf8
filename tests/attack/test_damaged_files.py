"""Every file the program reads, damaged: read for what it is, or refused in one short sentence. See docs/limits.md.

`--attack` runs 10,000 cases of each kind instead of 60, and tells the slowest and the memory taken.
"""

from __future__ import annotations

import json
import resource
import shutil
import sqlite3
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from mutations import damaged, seeded
from PIL import Image

from kakushi.formats.export.outline_svg import outline_svg
from kakushi.formats.export.workbook import workbook_bytes
from kakushi.formats.read.log_entry import load_log_entry
from kakushi.formats.read.motif_picture import motif_of, palette_of, read_picture
from kakushi.formats.read.outline_csv import load_outline_csv
from kakushi.formats.read.outline_file import load_outline, read_outlines
from kakushi.formats.read.palette_gpl import palette_gpl, read_gpl
from kakushi.formats.read.stock_import import guessed, imported, read_sheets
from kakushi.formats.store.job_file import job_bytes, job_from_bytes, load_job_file, save_job
from kakushi.formats.store.log_store import LogStore
from kakushi.formats.store.paths import shipped_recipes
from kakushi.formats.store.preferences import Preferences, load_preferences, save_preferences
from kakushi.formats.store.recipe_file import load_recipe
from kakushi.formats.store.recovery import RecoveryStore
from kakushi.formats.store.studio_store import StudioStore, load_studio
from kakushi.model.catalogue import DEFAULT_PALETTE, Studio
from kakushi.model.errors import KakushiError
from kakushi.model.groups import BallGroup, RowsGroup, Slot, uniform_row
from kakushi.model.job import Job
from kakushi.model.layers import SolidLayer, SpiralLayer
from kakushi.model.outline import OutlinePoint, PointsOutline, PresetOutline
from kakushi.model.parts import Cap
from kakushi.model.piece import Copy, Piece
from kakushi.model.record import Event, Found, Photo, Record, What
from kakushi.model.units import UnitSystem
from kakushi.model.workshop import Inflator
from kakushi.plan.pipeline import plan
from kakushi.shape.profile import profile_of
from kakushi.words.lists import lists_of
from kakushi.workshop.dossier import Dossier

_PLANNED_OF = 12
"""Of so many damaged jobs that load one is planned: planning takes a hundred times as long as reading."""
_LONGEST_MESSAGE = 700


def small_job() -> Job:
    """A job with something of most kinds in it, planned in no time."""
    rows = RowsGroup(rows=tuple(uniform_row(k + 1, 4, 11, 220.0 - 10 * k) for k in range(3)))
    ball = BallGroup(slots=(Slot(nominal_in=11, diameter_mm=180.0),) * 4)
    column = Piece(
        key=1,
        name="Lantern column",
        outline=PresetOutline(preset="vase"),
        groups=(rows,),
        layers=(SolidLayer(colour="sail-white"), SpiralLayer(lanes=("harbour-blue", "", "signal-red", ""))),
        parts=(Cap(key=1),),
        copies=(Copy(), Copy(label="left", groups=(rows,), target_height_mm=900.0)),
    )
    points = tuple(OutlinePoint(height_mm=z, left_mm=r, right_mm=r) for z, r in ((0, 200), (500, 90), (1000, 150)))
    kelp = Piece(key=2, name="Kelp", outline=PointsOutline(name="kelp", points=points), groups=(rows, ball))
    return Job(pieces=(column, kelp))


def _job(path: Path) -> None:
    path.write_bytes(job_bytes(small_job()))


def _read_job(path: Path, case: int) -> object:
    job = job_from_bytes(path.read_bytes(), path)
    assert job_from_bytes(job_bytes(job), path) == job
    if case % _PLANNED_OF == 0:
        Dossier(plan(job, Studio())).worked_out()
    return job


def _built(path: Path) -> None:
    """A job with photographs and a record."""
    path.write_bytes(job_bytes(small_job(), _record()))


def _record() -> Record:
    events = tuple(Event(what=What.DONE, step=f"step {number}", at=1e9 + number) for number in range(12))
    found = Found(kind="colour", row=1, slot=2, x=9.0, y=9.0, radius=4.0, words="Balloon 2 of row 1 is red.")
    photos = tuple(
        Photo(
            name=name, piece=1, title=f"from {name}", at=1e9, faults=(found,), picture=b"\xff\xd8" + bytes(range(200))
        )
        for name in ("left", "right")
    )
    return Record(events=events, photos=photos)


def _read_built(path: Path, _case: int) -> object:
    read = load_job_file(path)
    save_job(read.job, path, read.record)
    again = load_job_file(path)
    assert (again.job, again.record, again.left_out) == (read.job, read.record, ())
    return read


def _journal(path: Path) -> None:
    store, record = RecoveryStore(path.parent), _record()
    store.write(small_job(), None, None, Record(events=record.events[:3]))
    store.write_pictures(record)
    for number, event in enumerate(record.events[3:], 3):
        store.append(number, event)
    store.release()
    (journal,) = path.parent.glob("*.record")
    for beside in list(path.parent.glob(f"{journal.stem}.*")):
        beside.rename(path.with_suffix(beside.suffix))


def _read_journal(path: Path, _case: int) -> object:
    (found,) = RecoveryStore(path.parent).abandoned()
    steps = [event.step for event in found.record.events]
    assert steps[:3] == ["step 0", "step 1", "step 2"]
    assert len(set(steps)) == len(steps), "nothing happens twice"
    return found


def _recovery(path: Path) -> None:
    store = RecoveryStore(path.parent)
    store.write(small_job(), Path("/somewhere/quay.kakushi"))
    copy = next(path.parent.glob("*.kakushi"))
    copy.rename(path)
    copy.with_suffix(".json").rename(path.with_suffix(".json"))
    store.release()


def _read_recovery(path: Path, case: int) -> object:
    note = path.with_suffix(".json")
    if case % 2:
        note.write_bytes(path.read_bytes()[:9999])
    found = RecoveryStore(path.parent).abandoned()
    return [copy.job for copy in found]


def _studio(path: Path) -> None:
    store = StudioStore(path)
    store.save(Studio(inflators=(Inflator(name="bench timer", method="timed"),), sizing_scatter_mm=3.0))
    store.save_outline(small_job().pieces[1].outline)


def _read_studio(path: Path, _case: int) -> object:
    loaded = load_studio(path)
    assert isinstance(loaded.studio, Studio)
    return loaded


def _preferences(path: Path) -> None:
    save_preferences(Preferences().with_recent(Path("/jobs/quay.kakushi")), path)


def _drawing(path: Path) -> None:
    kelp = small_job().pieces[1]
    style = "<style>path {fill: #444; stroke-width: 2px}</style>"
    extra = '<g id="g" transform="rotate(3)"><path d="M0 0 C 10 20 30 40 50 60 S 5 5 9 9 Z"/></g><use href="#g" x="4"/>'
    text = outline_svg(profile_of(kelp.outline, 1000.0), "kelp")
    path.write_text(text.replace("</svg>", f"{style}{extra}</svg>"), encoding="utf-8")


def _picture(path: Path) -> None:
    image = Image.new("RGB", (60, 90), "white")
    image.paste((30, 60, 120), (20, 10, 42, 88))
    image.save(path)


def _read_picture(path: Path, case: int) -> object:
    image = read_picture(path)
    cells = motif_of(image, DEFAULT_PALETTE, 6), palette_of(image, 4)
    return cells if case % 3 else load_outline(path, 1000.0)


def _outline_csv(path: Path) -> None:
    path.write_text("height,left,right\n" + "".join(f"{z},{200 - z / 9},{180}\n" for z in range(0, 900, 30)))


def _stock_csv(path: Path) -> None:
    lines = "".join(f"Harbour blue;11 in;{40 + k};12.5\n" for k in range(20))
    path.write_text(f"colour;size;count;price\n{lines}", encoding="utf-8")


def _workbook(path: Path) -> None:
    job = small_job()
    path.write_bytes(workbook_bytes(lists_of(Dossier(plan(job, Studio())), UnitSystem.METRIC).values(), job))


def _read_stock(path: Path, _case: int) -> object:
    sheets = read_sheets(path)
    for sheet in sheets:
        if (mapping := guessed(sheet)) is not None:
            imported(sheet, mapping, DEFAULT_PALETTE)
    return sheets


def _palette(path: Path) -> None:
    path.write_text(palette_gpl(DEFAULT_PALETTE, "Lantern Quay"), encoding="utf-8")


def _recipe(path: Path) -> None:
    shutil.copy(next(iter(shipped_recipes().glob("coral*"))), path)


def _log_entry(path: Path) -> None:
    built = {"nominal_in": 11, "finish": "plain", "place": "indoors", "count": 60}
    work = {"kind": "row", "person": "Ann", "count": 12, "minutes": 14.5}
    piece = {"piece": "Gate", "copies": 2, "height_mm": 2080, "built": [built], "pops": [built | {"count": 2}]}
    path.write_text(json.dumps({"date": "2026-06-01", "pieces": [piece | {"minutes": [work]}], "client": "again"}))


def _log(path: Path) -> None:
    entry = path.with_name("entry.json")
    _log_entry(entry)
    for _ in range(3):
        LogStore(path).add(load_log_entry(entry))


def _read_log(path: Path, case: int) -> object:
    store = LogStore(path)
    lines = store.lines()
    entries = [store.entry(line.key) for line in lines]
    if case % 4 == 0:
        # What can be read takes another entry.
        store.add(load_log_entry(path.with_name("entry.json")))
    return entries, load_studio(path)


KINDS: dict[str, tuple[str, Callable[[Path], None], Callable[[Path, int], object]]] = {
    "job": ("job.kakushi", _job, _read_job),
    "job with photographs": ("built.kakushi", _built, _read_built),
    "journal": ("copy.record", _journal, _read_journal),
    "recovery": ("copy.kakushi", _recovery, _read_recovery),
    "studio": ("studio.sqlite3", _studio, _read_studio),
    "preferences": ("preferences.json", _preferences, lambda path, _: load_preferences(path)),
    "drawing": ("kelp.svg", _drawing, lambda path, _: read_outlines(path, 1000.0)),
    "png": ("cut-out.png", _picture, _read_picture),
    "jpeg": ("photograph.jpg", _picture, _read_picture),
    "outline csv": ("outline.csv", _outline_csv, lambda path, _: load_outline_csv(path)),
    "stock csv": ("stock.csv", _stock_csv, _read_stock),
    "workbook": ("stock.xlsx", _workbook, _read_stock),
    "recipe": ("piece.kakushi-recipe", _recipe, lambda path, _: load_recipe(path)),
    "log entry": ("entry.json", _log_entry, lambda path, _: load_log_entry(path)),
    "log": ("studio.sqlite3", _log, _read_log),
    "palette": ("quay.gpl", _palette, lambda path, _: read_gpl(path)),
}


@pytest.mark.parametrize("kind", KINDS)
def test_damaged_files_are_read_or_refused_in_a_sentence(
    kind: str, tmp_path: Path, attack: bool, capsys: pytest.CaptureFixture[str]
) -> None:
    name, make, read = KINDS[kind]
    path = tmp_path / name
    make(path)
    whole = path.read_bytes()
    read(path, 0)
    refused, slowest = 0, (0.0, 0)
    for case in range(10_000 if attack else 60):
        path.write_bytes(damaged(whole, seeded(kind, case)))
        begun = time.perf_counter()
        words = _refusal(read, path, case)
        refused += words is not None
        assert words is None or (0 < len(words) < _LONGEST_MESSAGE and words.isprintable()), f"case {case}: {words!r}"
        slowest = max(slowest, (time.perf_counter() - begun, case))
    if attack:
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        seconds, case = slowest
        with capsys.disabled():
            print(f"\n{kind}: {refused} refused, slowest {seconds:.2f} s (case {case}), {memory:.0f} MB in all")


def _refusal(read: Callable[[Path, int], object], path: Path, case: int) -> str | None:
    """Why a file is not read, None where it is. Raises AssertionError where the reader raises anything else."""
    try:
        read(path, case)
    except KakushiError as error:
        return str(error)
    except Exception as error:
        raise AssertionError(f"case {case}: {error!r}") from error
    return None


def test_a_studio_of_endless_views_is_given_up(tmp_path: Path) -> None:
    path = tmp_path / "studio.sqlite3"
    _studio(path)
    with sqlite3.connect(path) as database:
        tables = [name for (name,) in database.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        for table in tables:
            columns = [row[1] for row in database.execute(f"PRAGMA table_info({table})")]
            database.execute(f"DROP TABLE {table}")
            shown = ", ".join(f"x AS {column}" for column in columns)
            endless = "WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n)"
            database.execute(f"CREATE VIEW {table} AS {endless} SELECT {shown} FROM n")
    loaded = load_studio(path)
    assert loaded.problem
    assert loaded.studio == Studio()
