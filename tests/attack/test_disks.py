"""Disks that run full, photographs that are damaged, files that are no files: what was told as kept is there."""

from __future__ import annotations

import io
import os
import resource
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from PIL import Image

from kakushi.formats.read.photograph import kept_bytes, photo_from_bytes
from kakushi.formats.store import atomic, job_file, limits
from kakushi.formats.store.atomic import write_atomically
from kakushi.formats.store.job_file import check_room_for, job_bytes, load_job_file, save_job
from kakushi.formats.store.preferences import Preferences, load_preferences, save_preferences
from kakushi.formats.store.recovery import RecoveryStore, discard
from kakushi.formats.store.studio_store import StudioStore
from kakushi.model.catalogue import Studio
from kakushi.model.errors import BadInput, JobFileError, KakushiError
from kakushi.model.job import Brief, Job
from kakushi.model.record import MOST_PHOTOS, Event, Photo, Record, What


def event(number: int) -> Event:
    return Event(what=What.DONE, step=f"step {number}", at=number)


def photo(name: str, picture: bytes = b"\xff\xd8 picture \xff\xd9") -> Photo:
    return Photo(name=name, piece=1, title=f"seen from {name}", at=1.0, picture=picture)


def test_a_journal_survives_any_write_that_fails(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Short writes and refused ones, at random places of the line: what was told as kept is read again."""
    store, kept = RecoveryStore(tmp_path), []
    store.write(Job(), None)
    real = os.write
    for number in range(60):
        fails = number % 7 in {2, 3, 5}

        def write(handle: int, data: bytes, fails: bool = fails, number: int = number) -> int:
            if not fails:
                return real(handle, data)
            if number % 2:
                raise OSError(28, "No space left on device")
            return real(handle, data[: number % len(data)])

        monkeypatch.setattr(os, "write", write)
        try:
            store.append(number, event(number))
        except JobFileError:
            assert fails
        else:
            assert not fails
            kept.append(f"step {number}")
        monkeypatch.setattr(os, "write", real)
    store.release()
    (found,) = RecoveryStore(tmp_path).abandoned()
    assert [each.step for each in found.record.events] == kept


def test_a_journal_of_an_earlier_version_is_read(tmp_path: Path) -> None:
    store = RecoveryStore(tmp_path)
    store.write(Job(), None)
    (copy,) = tmp_path.glob("*.kakushi")
    copy.with_suffix(".record").write_bytes(b'[0, {"what": "done", "step": "a", "at": 1}]\n[1, {"wh')
    store.release()
    (found,) = RecoveryStore(tmp_path).abandoned()
    assert [each.step for each in found.record.events] == ["a"]


@pytest.mark.parametrize("harm", ["a flipped bit", "stored twice", "too large", "named twice"])
def test_one_damaged_photograph_never_costs_the_job(harm: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path, record = tmp_path / "quay.kakushi", Record(events=(event(1),), photos=(photo("left"), photo("right")))
    match harm:
        case "a flipped bit":
            data = job_bytes(Job(), record)
            path.write_bytes(data.replace(b"\xff\xd8 picture", b"\xff\xd8 pictuse", 1))
        case "stored twice":
            path.write_bytes(job_bytes(Job(), record))
            with zipfile.ZipFile(path, "a") as archive, pytest.warns(UserWarning, match="Duplicate"):
                archive.writestr("photos/left.jpg", b"another")
        case "too large":
            monkeypatch.setattr(job_file, "PHOTO_KEPT_BYTES", 15)
            large = record.with_photo(photo("left", b"\xff\xd8" + b"x" * 99))
            save_job(Job(), path, large)
        case "named twice":
            twice = record.model_copy(update={"photos": (*record.photos, photo("left"))})
            path.write_bytes(job_bytes(Job(), twice))
    read = load_job_file(path)
    assert read.record.events == record.events
    assert [each.name for each in read.record.photos] == ["left", "right"]
    assert read.record.photos[1].picture
    assert len(read.left_out) == 1
    assert "seen from left" in read.left_out[0]
    # What was read is written, and read again, without another word.
    save_job(read.job, path, read.record)
    assert load_job_file(path) == (read.job, read.record, ())


def test_all_the_photographs_a_job_takes_are_read_again(tmp_path: Path) -> None:
    noise = Image.effect_noise((4000, 3000), 90).convert("RGB")
    buffer = io.BytesIO()
    noise.save(buffer, "JPEG", quality=90)
    picture = kept_bytes(photo_from_bytes(buffer.getvalue(), "noise.jpg"))
    assert max(Image.open(io.BytesIO(picture)).size) == 1600
    assert len(picture) <= limits.PHOTO_ADDED_BYTES
    assert MOST_PHOTOS * limits.PHOTO_ADDED_BYTES <= limits.PHOTOS_BYTES
    assert limits.PHOTOS_BYTES + limits.JOB_JSON_BYTES <= limits.JOB_FILE_BYTES
    with pytest.raises(BadInput, match="Remove some first"):
        check_room_for(Record(photos=(photo("a", bytes(limits.PHOTOS_BYTES)),)), photo("b"))


def test_what_could_not_be_opened_again_is_not_written(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "quay.kakushi"
    save_job(Job(), path)
    before = path.read_bytes()
    monkeypatch.setattr(job_file, "JOB_FILE_BYTES", 100)
    with pytest.raises(JobFileError, match="too large to open again"):
        save_job(Job(), path, Record(photos=(photo("left"),)))
    assert path.read_bytes() == before


def test_devices_and_pipes_are_not_replaced_and_links_are_followed(tmp_path: Path) -> None:
    pipe, there, link = tmp_path / "pipe", tmp_path / "quay.svg", tmp_path / "link.svg"
    os.mkfifo(pipe)
    with pytest.raises(JobFileError, match="not a file"):
        write_atomically(pipe, b"x")
    with pytest.raises(JobFileError, match="not a file"):
        write_atomically(Path(os.devnull), b"x")
    there.write_bytes(b"old")
    link.symlink_to(there)
    write_atomically(link, b"new")
    assert link.is_symlink()
    assert there.read_bytes() == b"new"


def test_what_killed_programs_left_goes_at_the_next_start(tmp_path: Path) -> None:
    half = tmp_path / f"{atomic._TEMPORARY}0123"
    half.write_bytes(b"half")
    orphans = [tmp_path / f"gone{suffix}" for suffix in (".json", ".record", ".lock")]
    for orphan in orphans:
        orphan.write_bytes(b"")
    store = RecoveryStore(tmp_path)
    store.write(Job(), None)
    for left in tmp_path.iterdir():
        os.utime(left, (0, 0))
    other = RecoveryStore(tmp_path)
    other.tidy()
    assert not half.exists()
    assert not any(orphan.exists() for orphan in orphans)
    store.release()
    assert len(other.abandoned()) == 1, "a copy is not what was left over"


@contextmanager
def a_disk_with_room_for(size: int) -> Iterator[None]:
    """No file grows beyond `size` bytes: a write that goes farther is short, or refused."""
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))


@pytest.mark.parametrize("room", [0, 1, 40, 300, 1500])
def test_a_disk_that_is_full_at_any_write_costs_nothing_that_was_there(room: int, tmp_path: Path) -> None:
    old, new = Job(), Job(brief=Brief(title="New", notes="".join(chr(97 + k * k % 26) for k in range(2000))))
    record = Record(events=(event(1),), photos=(photo("left", os.urandom(4000)),))
    path, studio_path = tmp_path / "quay.kakushi", tmp_path / "studio.sqlite3"
    save_job(old, path)
    store, studio = RecoveryStore(tmp_path / "recovery"), StudioStore(studio_path)
    store.write(old, path)
    studio.save(Studio())
    preferences = tmp_path / "preferences.json"
    save_preferences(Preferences(theme="dark"), preferences)
    writers = {
        "job": lambda: save_job(new, path, record),
        "copy": lambda: store.write(new, path, None, record),
        "pictures": lambda: store.write_pictures(record),
        "studio": lambda: studio.save(Studio(sizing_scatter_mm=3.25)),
        "export": lambda: write_atomically(tmp_path / "plan.json", b"x" * 2000),
    }
    refused = {}
    with a_disk_with_room_for(room):
        for name, write in writers.items():
            try:
                write()
            except KakushiError as error:
                refused[name] = str(error)
        save_preferences(Preferences(theme="light", recent=("a" * 2000,)), preferences)
    assert {"job", "pictures", "export"} <= set(refused)
    assert all(words.endswith(".") and len(words) < 200 for words in refused.values()), refused
    assert load_job_file(path) == (old, Record(), ())
    assert studio.load() == (Studio() if "studio" in refused else Studio(sizing_scatter_mm=3.25))
    assert load_preferences(preferences).theme == "dark"
    assert not list(tmp_path.rglob(f"{atomic._TEMPORARY}*"))
    store.release()
    (found,) = RecoveryStore(tmp_path / "recovery").abandoned()
    assert found.job == (old if "copy" in refused else new)
    # With room again the same writers write, and all of it is read.
    for write in writers.values():
        write()
    assert load_job_file(path) == (new, record, ())


def test_pictures_of_a_copy_are_written_once_and_found_beside_it_or_in_the_job_s_file(tmp_path: Path) -> None:
    path, folder = tmp_path / "quay.kakushi", tmp_path / "recovery"
    saved = Record(photos=(photo("left", b"left"), photo("right", b"right")))
    save_job(Job(), path, saved)
    record, store = saved.with_photo(photo("new", b"new")), RecoveryStore(folder)
    for number in range(3):
        record = record.with_event(event(number))
        store.write(Job(), path, None, record)
        store.write_pictures(record, {"left", "right"})
        assert not store.lacks_pictures(record, {"left", "right"})
    (beside,) = folder.glob("*.photos/*")
    assert beside.name == "new"
    assert all(size < 2000 for size in (each.stat().st_size for each in folder.glob("*.kakushi"))), "without pictures"
    store.release()
    (found,) = RecoveryStore(folder).abandoned()
    assert {each.name: each.picture for each in found.record.photos} == {
        "left": b"left",
        "right": b"right",
        "new": b"new",
    }
    assert len(found.record.events) == 3
    path.unlink()
    (found,) = RecoveryStore(folder).abandoned()
    assert [each.picture for each in found.record.photos] == [b"", b"", b"new"], "the job opens all the same"
    discard(found.copy)
    assert not list(folder.iterdir())


def test_read_only_folders_refuse_in_a_sentence_and_change_nothing(tmp_path: Path) -> None:
    path, folder = tmp_path / "there" / "quay.kakushi", tmp_path / "there"
    folder.mkdir()
    save_job(Job(), path)
    before = path.read_bytes()
    if os.geteuid() == 0:
        # Rights do not hold root back; a folder that takes no new names does.
        folder = Path("/proc/self/net")
        path = folder / "quay.kakushi"
    else:
        folder.chmod(0o500)
    with pytest.raises(JobFileError, match=r"was not written because .*\.$"):
        save_job(Job(brief=Brief(title="New")), path)
    with pytest.raises(JobFileError, match=r"No recovery copy could be kept\."):
        RecoveryStore(folder / "recovery").write(Job(), None)
    (tmp_path / "there").chmod(0o700)
    assert (tmp_path / "there" / "quay.kakushi").read_bytes() == before
