"""Files: round trips, hostile input, disks that fail; totals that agree everywhere."""

from __future__ import annotations

import contextlib
import csv
import errno
import io
import json
import os
import zipfile
from collections import Counter
from pathlib import Path

import pytest
from hypothesis import given

from added_up import needed
from kakushi.formats.export.supplies_csv import supplies_csv
from kakushi.formats.read.outline_csv import load_outline_csv, outline_from_csv
from kakushi.formats.store.file_stamp import Stamp
from kakushi.formats.store.job_file import SCHEMA_VERSION, job_bytes, job_from_bytes, load_job, save_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.formats.store.preferences import Preferences, load_preferences, save_preferences
from kakushi.formats.store.recovery import RecoveryStore, discard
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, JobFileError
from kakushi.model.job import Brief, Job
from kakushi.model.values import replace
from kakushi.plan.fitting import fit_piece
from kakushi.plan.pipeline import plan
from strategies import jobs

HERE = Path("quay.kakushi")


def zipped(**entries: bytes | str) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in entries.items():
            archive.writestr(name.replace("__", "."), data)
    return buffer.getvalue()


def document(**changes: object) -> bytes:
    content = {"format": "kakushi-job", "schema_version": SCHEMA_VERSION, "job": {}} | changes
    return zipped(job__json=json.dumps(content))


@given(jobs())
def test_saving_then_loading_is_the_identity(job: Job) -> None:
    assert job_from_bytes(job_bytes(job), HERE) == job


HOSTILE = {
    "empty": (b"", "is empty"),
    "foreign": (b"%PDF-1.7 not a job", "not a Kakushi job"),
    "foreign zip": (zipped(readme__txt="hello"), "not a Kakushi job"),
    "cut short": (job_bytes(Job())[:200], "damaged or cut short"),
    "no json": (zipped(job__json="{"), "damaged"),
    "not utf-8": (zipped(job__json=b"\xff\xfe\x00"), "damaged"),
    "a list": (zipped(job__json="[1, 2]"), "not a Kakushi job"),
    "other format": (document(format="something"), "not a Kakushi job"),
    "no version": (document(schema_version=None), "not a Kakushi job"),
    "newer": (document(schema_version=SCHEMA_VERSION + 1), "newer version"),
    "version zero": (document(schema_version=0), "damaged"),
    "no job": (document(job=[]), "holds no job"),
    "unknown key": (document(job={"price": 3}), "price"),
    "wrong type": (document(job={"pieces": [{"key": 1, "name": "x", "target_height_mm": "tall"}]}), "target_height_mm"),
    "infinite": (document(job={"settings": {"confidence": float("inf")}}), "confidence"),
    "twice the key": (document(job={"pieces": [{"key": 1, "name": "a"}, {"key": 1, "name": "b"}]}), "share one key"),
    "deep": (zipped(job__json="[" * 100_000), "damaged"),
    "bomb": (zipped(job__json=b" " * (49 * 2**20)), "too large"),
    "many entries": (zipped(**{f"photos/{n}": "" for n in range(2100)}), "too many files"),
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_job_files_get_one_clear_sentence(name: str, tmp_path: Path) -> None:
    data, words = HOSTILE[name]
    path = tmp_path / "x.kakushi"
    path.write_bytes(data)
    with pytest.raises(JobFileError, match=words) as caught:
        load_job(path)
    assert "\n" not in str(caught.value)
    assert len(str(caught.value)) < 400


def test_damaged_bytes_never_do_worse_than_refuse() -> None:
    good = bytearray(job_bytes(load_job(demo_job_path())))
    for place in range(0, len(good), max(len(good) // 60, 1)):
        bad = bytearray(good)
        bad[place] ^= 0xFF
        with contextlib.suppress(JobFileError):
            job_from_bytes(bytes(bad), HERE)


def test_missing_folders_and_files_are_named(tmp_path: Path) -> None:
    with pytest.raises(JobFileError, match="does not exist"):
        load_job(tmp_path / "gone.kakushi")
    with pytest.raises(JobFileError, match="is a folder"):
        load_job(tmp_path)
    with pytest.raises(JobFileError, match="folder does not exist"):
        save_job(Job(), tmp_path / "nowhere" / "a.kakushi")


@pytest.mark.parametrize(
    ("code", "words"), [(errno.ENOSPC, "disk is full"), (errno.EACCES, "may not write"), (errno.EROFS, "read-only")]
)
def test_a_failing_disk_leaves_the_old_file_whole(
    code: int, words: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "quay.kakushi"
    save_job(Job(brief=Brief(title="old")), path)

    def fail(_: int) -> None:
        raise OSError(code, "no")

    monkeypatch.setattr(os, "fsync", fail)
    with pytest.raises(JobFileError, match=words):
        save_job(Job(brief=Brief(title="new")), path)
    monkeypatch.undo()
    assert load_job(path).brief.title == "old"
    assert [p.name for p in tmp_path.iterdir()] == ["quay.kakushi"], "no litter"


def test_recovery_copies_outlive_their_program(tmp_path: Path) -> None:
    job = Job(brief=Brief(title="Lantern Quay"))
    dead = RecoveryStore(tmp_path)
    dead.write(job, Path("/somewhere/quay.kakushi"), Stamp(3, 1, 4))
    assert RecoveryStore(tmp_path).abandoned() == [], "while its program runs it is nobody's"
    dead.release()
    (tmp_path / "9999999.kakushi").write_bytes(b"junk")
    mine = RecoveryStore(tmp_path)
    mine.write(job, None)
    found = mine.abandoned()
    assert [(r.job, r.original, r.stamp) for r in found] == [(job, Path("/somewhere/quay.kakushi"), Stamp(3, 1, 4))]
    discard(found[0].copy)
    assert mine.abandoned() == []
    again = RecoveryStore(tmp_path)
    assert again.abandoned() == []
    mine.drop()
    assert {p.name for p in tmp_path.iterdir()} == {"9999999.kakushi"}, "nothing but the junk is left"


def test_saving_through_a_link_keeps_the_link(tmp_path: Path) -> None:
    (tmp_path / "real.kakushi").write_bytes(b"old")
    (tmp_path / "link.kakushi").symlink_to("real.kakushi")
    save_job(Job(), tmp_path / "link.kakushi")
    assert (tmp_path / "link.kakushi").is_symlink()
    assert load_job(tmp_path / "real.kakushi") == Job()


def test_preferences_survive_and_forgive(tmp_path: Path) -> None:
    path = tmp_path / "a" / "preferences.json"
    wanted = Preferences(theme="dark").with_recent(tmp_path / "a.kakushi").with_recent(tmp_path / "b.kakushi")
    save_preferences(wanted, path)
    assert load_preferences(path) == wanted
    assert [Path(r).name for r in wanted.with_recent(tmp_path / "a.kakushi").recent] == ["a.kakushi", "b.kakushi"]
    for junk in ("{", '{"theme": "pink"}', "[]", '{"recent": 4}'):
        path.write_text(junk)
        assert load_preferences(path) == Preferences()


@pytest.mark.parametrize("text", ["height,radius\n0,100\n500,200\n", "0;100\n500;200\n", "# quay\n500\t200\n0\t100\n"])
def test_csv_outlines_in_the_usual_dialects(text: str) -> None:
    outline = outline_from_csv(text, "quay")
    assert [(p.height_mm, p.left_mm, p.right_mm) for p in outline.points] == [(0, 100, 100), (500, 200, 200)]


def test_csv_outlines_may_have_two_sides_and_decimal_commas() -> None:
    points = outline_from_csv("0;100,5;90\n10;80;70", "quay").points
    assert (points[0].left_mm, points[0].right_mm) == (100.5, 90)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "at least two"),
        ("height,radius\n", "at least two"),
        ("0,1\nten,2\n", "Line 2"),
        ("0,1\n5,-2\n", "Line 2.*negative"),
        ("0,1\n5,inf\n", "Line 2"),
        ("0,1\n5,2,3,4\n", "Line 2"),
        ("0,1\n1e9,2\n", "larger than any"),
        ("0,1\n" * 6000, "more than 5000"),
    ],
)
def test_bad_csv_outlines_name_the_line(text: str, words: str) -> None:
    with pytest.raises(BadInput, match=words):
        outline_from_csv(text, "quay")


def test_binary_outlines_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    path.write_bytes(b"\x89PNG\r\n\x1a\n\xff\xfe")
    with pytest.raises(BadInput, match="not a text file"):
        load_outline_csv(path)


def test_the_lines_of_the_pieces_add_up_to_the_job() -> None:
    job = load_job(demo_job_path())
    found = plan(job, Studio())
    totals = sorted((f"{s.nominal_in:g}", job.colour(s.colour).name, s.total) for s in needed(found))
    summed: Counter[tuple[str, str]] = Counter()
    for line in csv.DictReader(io.StringIO(supplies_csv(found))):
        summed[line["nominal_in"], line["colour"]] += int(line["total"])
    assert totals == sorted((*kind, total) for kind, total in summed.items()), "the columns add up to the job"


def test_csv_cells_never_become_formulas() -> None:
    job = load_job(demo_job_path())
    renamed = replace(job, pieces=(replace(job.pieces[0], name='=HYPERLINK("x")'),))
    rows = list(csv.reader(io.StringIO(supplies_csv(plan(renamed, Studio())))))
    assert all(not cell.startswith(("=", "+", "-", "@")) for row in rows for cell in row)


def test_the_demo_job_holds_what_the_fit_chooses() -> None:
    job = load_job(demo_job_path())
    names = ["Gate column", "Lighthouse", "Glass-float vase", "Harbour sign", "Kelp", "Channel buoy"]
    names += ["Coral", "Figurehead", "Bollard crab", "Long wave", "Rope loop", "Net window"]
    assert [p.name for p in job.pieces] == names
    assert len(job.pieces[0].copies) == 2
    assert fit_piece(job.pieces[0], Studio()).rows == job.pieces[0].rows
    for piece in plan(job, Studio()).pieces:
        assert not piece.warnings
        assert abs(piece.height_mm - piece.column_target_mm) < 15
