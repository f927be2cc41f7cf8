"""The photograph that is checked: where its foot and top are, what was found in it, and what is kept of it."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, TypeAlias
from uuid import uuid4

from PyQt6.QtCore import QObject, pyqtSignal

from kakushi.desktop.document.background import Runner
from kakushi.model.record import Found, Photo, Record
from kakushi.words.wording import Wording

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from kakushi.check.values import Phase, Result
    from kakushi.formats.read.photograph import PhotoFile
    from kakushi.model.job import Job
    from kakushi.plan.values import PiecePlan
    from kakushi.sight.pinhole import Ends, Pose

Line = tuple[tuple[float, float], tuple[float, float]]


@dataclass(frozen=True, slots=True, eq=False)
class Checked:
    """A photograph and how far its check is. Places in pixels of `pixels` (h, w, 3).

    `overlay`: the plan as the camera sees it; `hidden` (h, w): what somebody painted over.
    `ends_told`: whether somebody set foot and top.
    """

    photo: Photo
    pixels: NDArray[np.uint8]
    ends: Ends
    overlay: NDArray[np.uint8] | None = None
    result: Result | None = None
    upright: Line | None = None
    hidden: NDArray[np.bool_] | None = None
    ends_told: bool = False


_News: TypeAlias = "Phase | tuple[Checked, NDArray[np.uint8] | None]"
"""What a check is at; or how far it has come, with the plan as it lies so far."""


class Checker(QObject):
    """One photograph at a time. `changed`: another one, or more is known of it."""

    changed = pyqtSignal()
    busy_changed = pyqtSignal(bool)
    failed = pyqtSignal(str)

    def __init__(
        self,
        piece_plan: Callable[[], PiecePlan | None],
        job: Callable[[], Job],
        record: Callable[[], Record],
        keep: Callable[[Record], None],
        wording: Callable[[], Wording],
        parent: QObject,
    ) -> None:
        super().__init__(parent)
        self._piece_plan, self._job, self._record, self._keep = piece_plan, job, record, keep
        self._wording = wording
        self.current: Checked | None = None
        self.phase: Phase | None = None
        """What the check is at, while it is busy."""
        self._piece: int | None = None
        self._coarse: NDArray[np.uint8] | None = None
        self._runner = Runner(self)
        self._runner.finished.connect(self._on_answer)
        self._runner.failed.connect(self.failed)
        self._runner.busy_changed.connect(self.busy_changed)
        self._runner.progressed.connect(self._on_news)

    @property
    def is_busy(self) -> bool:
        """Whether a photograph is read or checked."""
        return self._runner.is_busy

    @property
    def overlay(self) -> NDArray[np.uint8] | None:
        """The plan as the camera sees it, (h, w, 4): from the newest pose there is, while it is worked out."""
        if self._coarse is not None and self.is_busy:
            return self._coarse
        return self.current.overlay if self.current else None

    @property
    def photos(self) -> tuple[Photo, ...]:
        """The photographs of the selected piece that the job keeps, the newest first."""
        piece_plan = self._piece_plan()
        key = piece_plan.piece.key if piece_plan else -1
        return tuple(photo for photo in reversed(self._record().photos) if photo.piece == key)

    # --- what is asked --------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        """Read a photograph of the selected piece and check it."""

        def read() -> PhotoFile:
            from kakushi.formats.read.photograph import load_photo

            return load_photo(path)

        self._begin(read, path.stem[:100])

    def practise(self, seed: int, faults: int) -> None:
        """Take a simulated photograph of the selected piece and check it."""
        piece_plan, job = self._piece_plan(), self._job()
        if piece_plan is None:
            return

        def take() -> PhotoFile:
            import numpy as np

            from kakushi.check.model_spheres import model_spheres_of
            from kakushi.check.practice import KINDS, practise, usual_shot
            from kakushi.formats.read.photograph import photo_from_bytes

            chance = np.random.default_rng(seed)
            model = model_spheres_of(piece_plan, job)
            shot = usual_shot(model, float(np.radians(chance.uniform(-12, 12))), chance)
            kinds = [str(kind) for kind in chance.choice(KINDS, size=faults)]
            return photo_from_bytes(practise(model, shot, seed, kinds).photograph.jpeg, "practice photograph")

        self._begin(take, f"practice {seed}", is_taken=True)

    def reopen(self, name: str) -> None:
        """Show a photograph that the job keeps."""
        photo = next((each for each in self._record().photos if each.name == name), None)
        if photo is None or not photo.picture:
            self.failed.emit("The picture of this photograph is lost; what was found in it is kept.")
            return

        def read() -> PhotoFile:
            from kakushi.formats.read.photograph import photo_from_bytes

            return photo_from_bytes(photo.picture, photo.title or "photograph")

        self._begin(read, photo.title, photo)

    def _begin(
        self, read: Callable[[], PhotoFile], title: str, kept: Photo | None = None, is_taken: bool = False
    ) -> None:
        piece_plan, job = self._piece_plan(), self._job()
        if piece_plan is None or not piece_plan.can_be_checked:
            from kakushi.words.check import NOT_CHECKED

            self.failed.emit(NOT_CHECKED)
            return
        rows, record = kept.rows if kept else None, self._record()

        def work(tell: Callable[[_News], None], cancelled: Callable[[], bool]) -> Checked:
            from kakushi.check.image import linear_of
            from kakushi.check.locate import anywhere, proposed_ends
            from kakushi.check.model_spheres import model_spheres_of
            from kakushi.check.overlay import plan_picture
            from kakushi.check.values import Phase
            from kakushi.formats.read.photograph import kept_bytes, photo_from_bytes
            from kakushi.formats.store.job_file import check_room_for
            from kakushi.sight.pinhole import Ends

            image = read()
            # What is kept is what is judged, so that places mean the same when it is opened again.
            picture = kept.picture if kept else kept_bytes(image)
            pixels = photo_from_bytes(picture, title).pixels
            model = model_spheres_of(piece_plan.of_copy(kept.copy_number if kept else 0), job)
            model = model.up_to_row(rows) if rows else model
            photo = kept or Photo(
                name=uuid4().hex, piece=piece_plan.piece.key, title=title, at=time.time(), focal=image.focal,
                picture=picture,
            )  # fmt: skip
            check_room_for(record, photo)
            if kept and kept.foot and kept.top:
                return Checked(photo, pixels, Ends(kept.foot, kept.top, 0.0, model.top_mm))
            height, width = pixels.shape[:2]

            def guessed(pose: Pose, ends: Ends) -> None:
                tell((Checked(photo, pixels, ends), plan_picture(model, pose, width, height)))

            # The photograph is seen at once, with the plan where it seems to lie so far.
            tell((Checked(photo, pixels, anywhere(width, height, model.top_mm)), None))
            tell(Phase.ENDS)
            return Checked(photo, pixels, proposed_ends(linear_of(pixels), model, cancelled, guessed))

        from kakushi.check.values import Phase

        self.current = self._coarse = None
        self.phase = Phase.TAKING if is_taken else Phase.READING
        self._piece = piece_plan.piece.key
        self.changed.emit()
        self._runner.submit(work)

    def check(self) -> None:
        """Check the photograph with the ends, rows and marks as they are now."""
        current, piece_plan, job = self.current, self._piece_plan(), self._job()
        if current is None or piece_plan is None or piece_plan.piece.key != current.photo.piece:
            return

        def work(tell: Callable[[_News], None], cancelled: Callable[[], bool]) -> Checked:
            import math

            from kakushi.check.check import check_photo
            from kakushi.check.image import linear_of
            from kakushi.check.model_spheres import model_spheres_of
            from kakushi.check.overlay import plan_picture
            from kakushi.check.pose import PosePrior
            from kakushi.check.request import CheckRequest

            photo = current.photo
            model = model_spheres_of(piece_plan.of_copy(photo.copy_number), job)
            model = model.up_to_row(photo.rows) if photo.rows else model
            ends = replace(current.ends, top_mm=model.top_mm)
            told = PosePrior(math.radians(photo.azimuth_deg), photo.focal)
            height, width = current.pixels.shape[:2]

            def overlay(pose: Pose) -> NDArray[np.uint8]:
                return plan_picture(model, pose, width, height)

            def on_pose(pose: Pose) -> None:
                tell((current, overlay(pose)))

            result = check_photo(
                model,
                linear_of(current.pixels),
                CheckRequest(ends, told, current.upright, current.hidden, current.ends_told),
                on_pose,
                cancelled,
                tell,
            )
            return replace(current, overlay=overlay(result.pose), result=result)

        # The last overlay stays in sight until there is a better one.
        self._coarse = self._coarse if current.overlay is None else current.overlay
        self._runner.submit(work)

    # --- what is marked in it -------------------------------------------------------------------

    def set_ends(self, foot: tuple[float, float], top: tuple[float, float]) -> None:
        """Move foot and top; earlier results no longer count."""
        if self.current is not None:
            ends = replace(self.current.ends, foot=foot, top=top)
            self._set(replace(self.current, ends=ends, ends_told=True, result=None))

    def set_rows(self, rows: int | None) -> None:
        """Set how many rows are built so far; None for all."""
        if self.current is not None and self.current.photo.rows != rows:
            photo = self.current.photo.model_copy(update={"rows": rows})
            self._set(replace(self.current, photo=photo, result=None))

    def set_copy(self, number: int) -> None:
        """Set which copy of the piece was photographed, from 0."""
        if self.current is not None and self.current.photo.copy_number != number:
            photo = self.current.photo.model_copy(update={"copy_number": number})
            self._set(replace(self.current, photo=photo, result=None))

    def set_azimuth(self, degrees: float) -> None:
        """Set roughly where it was taken from."""
        if self.current is not None and self.current.photo.azimuth_deg != degrees:
            photo = self.current.photo.model_copy(update={"azimuth_deg": degrees})
            self._set(replace(self.current, photo=photo, result=None))

    def mark_upright(self, line: Line | None) -> None:
        """Mark an upright edge, from its lower to its upper end."""
        if self.current is not None:
            self._set(replace(self.current, upright=line))

    def mark_hidden(self, hidden: NDArray[np.bool_] | None) -> None:
        """Mark what somebody or something in front of the piece hides."""
        if self.current is not None:
            self._set(replace(self.current, hidden=hidden))

    def dismiss(self, place: int, dismissed: bool = True) -> None:
        """Dismiss a fault, or restore it."""
        current = self.current
        if current is None or not 0 <= place < len(current.photo.faults):
            return
        faults = list(current.photo.faults)
        faults[place] = faults[place].model_copy(update={"dismissed": dismissed})
        self._set_photo(current, current.photo.model_copy(update={"faults": tuple(faults)}))

    def remove(self) -> None:
        """Remove the photograph from the job."""
        if self.current is not None:
            self._keep(self._record().without_photo(self.current.photo.name))
            self.forget()
            self.changed.emit()

    def _set(self, checked: Checked) -> None:
        # What is being checked is no longer what is wished.
        self._runner.cancel()
        self.current = checked
        self.changed.emit()

    def _set_photo(self, current: Checked, photo: Photo) -> None:
        self.current = replace(current, photo=photo)
        self._keep(self._record().with_photo(photo))
        self.changed.emit()

    # --- answers --------------------------------------------------------------------------------

    def _on_news(self, news: _News) -> None:
        if isinstance(news, tuple):
            self.current, self._coarse = news
        else:
            self.phase = news
        self.changed.emit()

    def _on_answer(self, checked: Checked) -> None:
        result = checked.result
        if result is None:
            self.current = checked
            self.check()
            self.changed.emit()
            return
        from kakushi.words.check import fault_words, photo_words

        faults = self.current.photo.faults if self.current is not None else ()
        dismissed = {(each.kind, each.row, each.slot) for each in faults if each.dismissed}
        wording = self._wording()
        photo = checked.photo.model_copy(
            update={
                "foot": checked.ends.foot,
                "top": checked.ends.top,
                "words": tuple(each[:400] for each in photo_words(result, wording)),
                "faults": tuple(
                    Found(
                        kind=each.kind.value, row=each.row, slot=each.slot, x=each.at[0], y=each.at[1],
                        radius=each.at[2], likely=each.likely, look=each.look,
                        words=fault_words(each, wording, result.in_frames)[:400],
                        with_row=each.with_row, with_slot=each.with_slot,
                        dismissed=(each.kind.value, each.row, each.slot) in dismissed,
                    )
                    for each in result.faults
                ),
            }
        )  # fmt: skip
        self._set_photo(checked, photo)

    def follow(self, piece: int | None, has_changed: bool = False) -> None:
        """Follow the selection and the job: close another piece's photograph, drop results of a changed job."""
        current = self.current
        if self._piece is not None and self._piece != piece:
            self.forget()
            self.changed.emit()
        elif current is not None and has_changed and current.result is not None:
            self._set(replace(current, result=None))

    def stop(self) -> None:
        """Stop checking; the photograph stays open."""
        self._runner.cancel()
        self.changed.emit()

    def forget(self) -> None:
        """Show nothing: another job or piece is open."""
        self._runner.cancel()
        self.current = self._coarse = self._piece = None

    def close(self) -> None:
        """Stop, and wait until nothing runs."""
        self._runner.close()
