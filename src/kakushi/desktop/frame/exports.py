"""Prints, lists, pictures and drawings written to files that are asked for."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QInputDialog

from kakushi.desktop.document.document import Document
from kakushi.desktop.frame.files import Files
from kakushi.desktop.widgets.waiting import waited_for
from kakushi.formats.store.atomic import write_atomically
from kakushi.model.errors import BadInput, KakushiError
from kakushi.model.piece import Piece
from kakushi.model.units import UnitSystem

if TYPE_CHECKING:
    from kakushi.formats.print.pack import Document as Printed
    from kakushi.formats.print.pack import Wanted
    from kakushi.plan.values import PiecePlan
    from kakushi.words.lists import Listing
    from kakushi.workshop.dossier import Dossier

T = TypeVar("T")
_SCALES = (1, 2, 5, 10)
_PICTURE_SIZE, _SCENE_SIZE = (1200, 1500), (2400, 1350)
_QUOTE_DPI = 150
"""Dots per inch of a quote as a picture: read on a telephone, and small enough to send."""


class Exports:
    """Export commands of the window; `files` asks where to write."""

    def __init__(self, document: Document, files: Files) -> None:
        self._document, self._files = document, files

    def ask_scale(self) -> float | None:
        """Ask for the scale of a printed skin."""
        words, ok = QInputDialog.getItem(
            self._files.window, "Skin as SVG", "Scale", [f"1 : {scale}" for scale in _SCALES], 0, False
        )
        return 1 / int(words.split(":")[1]) if ok else None

    def export_skin(self) -> None:
        """The unrolled skin as SVG, and in A4 pages with marks beside it where one page is not enough."""
        from kakushi.formats.export.skin_svg import skin_pages, skin_svg

        piece = self._document.piece
        if piece is None or not piece.rows:
            self._document.told_with_key.emit("There are no rows yet.", "choose rows")
            return
        scale = self.ask_scale()
        name = piece.name.replace("/", "-")[:60]
        if scale is None:
            return
        path = self._ask_export("Save the skin as SVG", ".svg", "SVG drawings (*.svg)", f"{name} skin")
        if path is None:
            return

        def drawn(dossier: Dossier) -> tuple[str, list[str]]:
            piece_plan, job = _piece_plan(dossier, piece), dossier.plan.job
            return skin_svg(piece_plan, job, scale), list(skin_pages(piece_plan, job, scale))

        made = self._made(drawn, path)
        if made is None:
            return
        whole, pages = made
        beside = {path.with_name(f"{path.stem} page {number}.svg"): page for number, page in enumerate(pages, 1)}
        if len(pages) == 1:
            beside.clear()
        if not self._files.may_replace(list(beside)):
            return

        def write() -> None:
            write_atomically(path, whole.encode())
            for place, page in beside.items():
                write_atomically(place, page.encode())

        more = f", and {len(pages)} pages beside it" if len(pages) > 1 else ""
        self._files.written(write, f"Saved as “{path.name}”{more}.")

    def export_outline(self) -> None:
        """The selected piece's outline as SVG, in millimetres."""
        from kakushi.formats.export.outline_svg import outline_svg
        from kakushi.shape.profile import profile_of

        piece = self._document.piece
        if piece is None:
            self._document.refused.emit("Select a piece to save its outline.")
            return
        path = self._ask_export("Save the outline", ".svg", "SVG (*.svg)", f"{piece.name} outline")
        if path is not None:
            text = outline_svg(profile_of(piece.outline, piece.target_height_mm), piece.name)
            self._files.written(lambda: write_atomically(path, text.encode()), f"Written: {path.name}")

    def export_lettering(self, key: int, mirrored: bool) -> None:
        """The words of a lettering as SVG for the cutter, at full size."""
        from kakushi.formats.export.lettering_svg import lettering_svg
        from kakushi.plan.words_on_balloons import words_on_balloons

        piece_plan = self._document.piece_plan
        written = words_on_balloons(piece_plan) if piece_plan else ()
        words = next((each for each in written if each.part.key == key), None)
        if words is None:
            self._document.refused.emit("These words have no balloon to be on: add a topper of one balloon.")
            return
        name = words.part.text.splitlines()[0].replace("/", "-")[:40]
        path = self._ask_export("Save the letters", ".svg", "SVG (*.svg)", f"{name} letters")
        if path is not None:
            text = lettering_svg(words.layout, mirrored, name)
            self._files.written(lambda: write_atomically(path, text.encode()), f"Saved as “{path.name}”.")

    def ask_print(self) -> None:
        """Ask what to print, and show the pages."""
        from kakushi.desktop.dialogs.printing import PrintDialog

        dialog = PrintDialog(self._document, self.export_pdf, self.export_phone, self._files.window)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def export_pdf(self, wanted: Wanted | None = None) -> bool:
        """What is wanted as PDF, else everything the build needs; whether it was written."""
        from kakushi.formats.print.pack import Wanted, wanted_pdf

        chosen = wanted or Wanted()
        offers = self._document.scheduler.offers
        return self._export_print("Print", "", lambda dossier, units: wanted_pdf(dossier, units, chosen, offers))

    def export_quote(self) -> None:
        """A quote for the client as PDF, with the sizes to choose from where they were worked out."""
        self._export_one("Quote for the client", "quote", "client")

    def export_quote_picture(self) -> None:
        """The same as PNG; further pages go into files beside it."""
        from kakushi.desktop.widgets.pdf_pages import png_pages
        from kakushi.formats.print.pack import one_document, wanted_pdf

        title = f"{self._document.job.brief.title} quote"
        path = self._ask_export("Quote for the client as a picture", ".png", "PNG (*.png)", title)
        if path is None:
            return
        units, offers = self._document.units, self._document.scheduler.offers
        made = self._made(lambda dossier: wanted_pdf(dossier, units, one_document("client"), offers), path)
        if made is not None:
            pages = list(png_pages(made, _QUOTE_DPI))
            places = [path, *(path.with_name(f"{path.stem} {k + 1}.png") for k in range(1, len(pages)))]
            if not self._files.may_replace(places[1:]):
                return

            def write() -> None:
                for place, page in zip(places, pages, strict=True):
                    write_atomically(place, page)

            self._files.written(write, f"Written: {', '.join(place.name for place in places)}")

    def export_cost(self) -> None:
        """The cost sheet as PDF."""
        self._export_one("Cost sheet", "cost", "cost")

    def export_labels(self) -> None:
        """Labels for the bags as PDF."""
        self._export_one("Labels", "labels", "labels")

    def export_steps(self, people: int) -> None:
        """Export the steps as lists for a number of people, as PDF."""
        self._export_one("Lists for the build", "steps", "helpers", people)

    def _export_one(self, title: str, name: str, document: Printed, people: int | None = None) -> None:
        """A single document as PDF; a quote with the sizes to choose from where they were worked out."""
        from kakushi.formats.print.pack import one_document, wanted_pdf

        wanted, offers = one_document(document, people), self._document.scheduler.offers
        self._export_print(title, name, lambda dossier, units: wanted_pdf(dossier, units, wanted, offers))

    def export_check(self) -> None:
        """Export the checked photograph and its faults on one page."""
        from kakushi.formats.print.check_page import check_pdf

        current, piece = self._document.checker.current, self._document.piece
        if current is None or current.result is None or piece is None:
            self._document.told.emit("There is no checked photograph to print.")
            return
        photo, pixels, job = current.photo, current.pixels, self._document.job
        path = self._ask_export("Print the check", ".pdf", "PDF (*.pdf)", f"{piece.name} check")
        if path is not None:
            self._write(path, lambda _dossier: check_pdf(photo, pixels, piece.name, job.brief.title))

    def export_calendar(self) -> None:
        """The days before as an iCalendar file."""
        from kakushi.building.schedule import scheduled
        from kakushi.formats.export.schedule_ics import schedule_ics

        path = self._ask_export("Save the days as a calendar", ".ics", "Calendars (*.ics)")
        if path is not None:
            stamp, now = dt.datetime.now(dt.UTC), dt.datetime.now()
            self._write(path, lambda d: schedule_ics(scheduled(d.plan, now), d.plan.job, stamp))

    def _export_print(self, title: str, name: str, make: Callable[[Dossier, UnitSystem], bytes]) -> bool:
        job = self._document.job.brief.title
        path = self._ask_export(title, ".pdf", "PDF (*.pdf)", f"{job} {name}".strip())
        if path is not None:
            from kakushi.formats.print.text import not_printed

            units = self._document.units
            return self._write(path, lambda dossier: make(dossier, units), not_printed(self._document.job))
        return False

    def export_workbook(self) -> None:
        """All lists as a workbook."""
        from kakushi.formats.export.workbook import workbook_bytes
        from kakushi.words.lists import lists_of

        path = self._ask_export("All lists as a workbook", ".xlsx", "Workbooks (*.xlsx)")
        if path is not None:
            units = self._document.units
            self._write(path, lambda d: workbook_bytes(lists_of(d, units).values(), d.plan.job))

    def export_listing(self, listing: Listing) -> None:
        """One list as a workbook."""
        from kakushi.formats.export.workbook import workbook_bytes

        path = self._ask_export(f"{listing.title} as a workbook", ".xlsx", "Workbooks (*.xlsx)")
        if path is not None:
            self._write(path, lambda d: workbook_bytes([listing], d.plan.job))

    def export_csv(self, listing: Listing | None = None) -> None:
        """A list as CSV; without one the balloons, piece by piece."""
        from kakushi.formats.export.lists_csv import list_csv
        from kakushi.formats.export.supplies_csv import supplies_csv
        from kakushi.words.lists import lists_of

        path = self._ask_export("Save as CSV", ".csv", "CSV (*.csv)")
        if path is None:
            return
        if listing is None or listing.key == "supplies":
            self._write(path, lambda dossier: supplies_csv(dossier.plan).encode())
        elif listing.key == "log":
            self._write(path, lambda d: list_csv(listing, d.plan.job).encode())
        else:
            key, units = listing.key, self._document.units
            self._write(path, lambda d: list_csv(lists_of(d, units)[key], d.plan.job).encode())

    def export_picture(self, azimuth: float) -> None:
        """The selected piece as PNG, seen as in the elevation."""
        from kakushi.formats.export.png import piece_image, png_bytes

        piece = self._document.piece
        if piece is None:
            self._document.refused.emit("Select a piece to save its picture.")
            return
        path = self._ask_export("Save picture", ".png", "PNG (*.png)", piece.name)
        if path is None:
            return
        self._write(
            path,
            lambda dossier: png_bytes(
                piece_image(_piece_plan(dossier, piece), dossier.plan.job, *_PICTURE_SIZE, azimuth)
            ),
        )

    def export_scene(self) -> None:
        """The whole job on one floor as PNG, its ground transparent."""
        from kakushi.formats.export.png import png_bytes
        from kakushi.formats.print.scene import scene_image

        path = self._ask_export("Save picture of the whole job", ".png", "PNG (*.png)")
        if path is not None:
            self._write(path, lambda dossier: png_bytes(scene_image(dossier.plan, *_SCENE_SIZE, paper=None)))

    def export_phone(self) -> None:
        """The job as one page for the phone."""
        from kakushi.formats.export.phone_html import phone_html

        path = self._ask_export("Save the page for the phone", ".html", "Web pages (*.html)")
        if path is not None:
            units = self._document.units
            self._write(path, lambda dossier: phone_html(dossier, units).encode())

    def export_glb(self) -> None:
        """The whole job in three dimensions, as glTF binary."""
        from kakushi.formats.export.scene_glb import job_glb

        path = self._ask_export("Save in three dimensions", ".glb", "glTF binary (*.glb)")
        if path is not None:
            self._write(path, lambda dossier: job_glb(dossier.plan))

    def _ask_export(self, title: str, suffix: str, kind: str, name: str = "") -> Path | None:
        stem = (name or self._document.job.brief.title).replace("/", "-")[:80]
        return self._files.place_to_write(title, f"{stem}{suffix}", kind, suffix)

    def _write(self, path: Path, make: Callable[[Dossier], bytes], note: str = "") -> bool:
        """Write an export of the whole dossier, and say so, with a note; whether it was written."""
        content = self._made(make, path)
        if content is not None:
            told = f"Written: {path.name}" + (f". {note}" if note else "")
            return self._files.written(lambda: write_atomically(path, content), told)
        return False

    def _made(self, make: Callable[[Dossier], T], path: Path) -> T | None:
        """Make an export of the current dossier; None where it was stopped or failed, which is reported.

        In another thread: of large jobs that takes a while.
        """
        work_out = self._document.current_dossier()
        try:
            return waited_for(lambda cancelled: make(work_out(cancelled)), f"Making “{path.name}”…", self._files.window)
        except KakushiError as error:
            self._document.refused.emit(self._document.said(error))
            return None


def _piece_plan(dossier: Dossier, piece: Piece) -> PiecePlan:
    planned = dossier.plan.piece(piece.key)
    if planned is None:
        raise BadInput("That piece is no longer in the job.")
    return planned
