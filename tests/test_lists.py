"""Lists of a job: the same totals on screen, PDF, XLSX, CSV and JSON; stock read back without trust."""

from __future__ import annotations

import base64
import csv
import hashlib
import io
import json
import re
import zipfile
from html.parser import HTMLParser
from pathlib import Path

import numpy as np
import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pypdf import PageObject, PdfReader
from reportlab.pdfbase.pdfmetrics import stringWidth

from kakushi.building.progress import goes_of
from kakushi.building.step import Inflating, Looking, Step, TyingCluster
from kakushi.building.steps import steps_of_copy
from kakushi.formats.export.lists_csv import list_csv
from kakushi.formats.export.phone_html import phone_html
from kakushi.formats.export.spreadsheet_text import plain
from kakushi.formats.export.workbook import workbook_bytes
from kakushi.formats.print.build_sheet import spread
from kakushi.formats.print.pack import DOCUMENTS, one_document, wanted_pdf
from kakushi.formats.print.text import fonts
from kakushi.formats.read.stock_import import Mapping, Sheet, guessed, imported, read_sheets
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import DEFAULT_PALETTE, Studio
from kakushi.model.cautions import GENERAL, STAND
from kakushi.model.errors import KakushiError
from kakushi.model.job import Job, Pricing
from kakushi.model.parts import Accent
from kakushi.model.units import UnitSystem
from kakushi.model.used import Used
from kakushi.model.values import replace
from kakushi.model.workshop import StockItem
from kakushi.plan.pipeline import plan
from kakushi.sim.forecast import SimulatedForecast
from kakushi.words.lists import Column, Listing, lists_of, packed_bags
from kakushi.words.sizing import row_sizes
from kakushi.words.step_text import step_text
from kakushi.words.wording import Wording
from kakushi.workshop.dossier import Dossier


@pytest.fixture(scope="module")
def dossier() -> Dossier:
    job = load_job(demo_job_path())
    stock = (StockItem(nominal_in=11, colour="sail-white", balloons=20),)
    return Dossier(plan(job, Studio(stock=stock)), SimulatedForecast().forecast(job.brief.event_date))


def pages(pdf: bytes) -> list[str]:
    return [page.extract_text() for page in PdfReader(io.BytesIO(pdf)).pages]


def lowest_text(page: PageObject) -> float:
    """Height of the lowest text above a page's foot, points, its number left out."""
    heights = []

    def visit(text: str, matrix: list[float], text_matrix: list[float], *_: object) -> None:
        if text.strip() and not text.strip().startswith("page "):
            heights.append(matrix[5] + text_matrix[5])

    page.extract_text(visitor_text=visit)
    return min(heights)


def outside(page: PageObject) -> list[str]:
    """Texts that reach into the outer margins of a page."""
    plain, _ = fonts()
    found = []

    def visit(text: str, matrix: list[float], text_matrix: list[float], _font: object, size: float) -> None:
        left = matrix[4] + text_matrix[4] * matrix[0]
        size *= abs(matrix[0] * text_matrix[0]) or 1.0
        right = left + max(stringWidth(line, plain, size) for line in text.split("\n"))
        if text.strip() and (left < MARGIN_PT or right > float(page.mediabox.width) - MARGIN_PT):
            found.append(text)

    page.extract_text(visitor_text=visit)
    return found


MARGIN_PT = 20.0
"""What no printer reaches, points."""


def evaluated(sheet, row: int, column: int) -> float:
    """A cell's number; the few kinds of formulas that are written are worked out here."""
    value = sheet.cell(row, column).value
    if not isinstance(value, str) or not value.startswith("="):
        return float(value or 0)

    def number(name: str) -> float:
        cell = sheet[name]
        return evaluated(sheet, cell.row, cell.column)

    if found := re.fullmatch(r"=SUM\(([A-Z]+)(\d+):\1(\d+)\)", value):
        return sum(number(f"{found[1]}{r}") for r in range(int(found[2]), int(found[3]) + 1))
    names = [number(name) for name in re.findall(r"[A-Z]+\d+", value)]
    if value.startswith("=MAX"):
        return max(sum(names[:-1]) - names[-1], 0)
    if value.startswith("=ROUNDUP"):
        return -(-sum(names[:-1]) // names[-1])
    assert re.fullmatch(r"=[A-Z]+\d+ \+ [A-Z]+\d+", value), value
    return sum(names)


def sheet_total(sheet, head: str) -> float:
    heads = [cell.value for cell in sheet[4]]
    column = heads.index(head) + 1
    return evaluated(sheet, sheet.max_row, column)


def test_pack_has_every_chapter_with_job_and_page_number_on_each(dossier):
    pack = wanted_pdf(dossier)
    found = pages(pack)
    for index, page in enumerate(found, 1):
        assert "Lantern Quay" in page
        assert f"page {index} of {len(found)}" in page
    whole = "\n".join(found)
    for heading in ("Inflation sheet", "Supplies", "Cut list", "Stand", "Packing list", "To buy", "Materials"):
        assert heading in whole
    assert "never an approval" in whole
    assert "plastic pipe 25 mm" in whole
    # What all cards of a sheet share is said once there.
    assert max(page.count("lie anticlockwise, seen from above") for page in found) == 1
    # Fewer than a page and a half a piece and nine for the job; no page of three lines, no heading alone at a page's
    # end, no half left empty where a chapter goes on, no caution on every sheet.
    assert len(found) <= 1.5 * len(dossier.plan.pieces) + 4
    assert min(len(page) for page in found) > 600
    chapters = [page.splitlines()[1] for page in found]
    sheets = PdfReader(io.BytesIO(pack)).pages
    assert not [text for page in sheets for text in outside(page)]
    for page, chapter, following in zip(sheets, chapters, chapters[1:], strict=False):
        assert chapter != following or lowest_text(page) < 0.4 * float(page.mediabox.height), chapter
    for page in found:
        last = [line for line in page.splitlines() if line.strip() and not line.startswith("page ")]
        assert last[-1] not in ("Tying cards", "Also, in this order", "How every row goes on", "On the way")
    assert max(whole.count(text[:40]) for text in (*GENERAL, *STAND)) <= 3


def test_build_sheets_have_every_row_at_its_height_and_every_other_step(dossier):
    wording = Wording(dossier.plan.job, UnitSystem.METRIC)
    for piece_plan in dossier.plan.pieces[:7]:
        name = piece_plan.piece.name
        sheet = one_document("sheets")._replace(pieces=frozenset({piece_plan.piece.key}))
        whole = " ".join(" ".join(pages(wanted_pdf(dossier, wanted=sheet))).split())
        for row in piece_plan.piece.rows:
            assert row_sizes(row, UnitSystem.METRIC) in whole
        for step in steps_of_copy(dossier.steps, piece_plan.piece.key, 0):
            if step.row is not None or isinstance(step.fact, TyingCluster | Looking | Inflating):
                continue
            words = " ".join(step_text(step, wording).headline.split())
            assert words[:24] in whole, (name, words)
    # As near as they can be, none over another.
    places = spread(np.array([10.0, 11, 12, 80, 81]), np.full(5, 6.0), 100)
    assert np.diff(places).min() == pytest.approx(6)
    assert places[:3].mean() == pytest.approx(11)
    assert spread(np.array([-5.0, 120]), np.full(2, 10.0), 100).tolist() == [5.0, 95.0]


def test_quote_tells_the_client_no_costs(dossier):
    text = "\n".join(pages(wanted_pdf(dossier, wanted=one_document("client"))))
    assert "Margin" not in text
    assert "choke" in text
    labels = "\n".join(pages(wanted_pdf(dossier, wanted=one_document("labels"))))
    assert all(name in labels for name, _ in packed_bags(dossier))


def test_empty_jobs_print_too():
    empty = Dossier(plan(Job(), Studio()))
    for document in DOCUMENTS:
        assert wanted_pdf(empty, wanted=one_document(document)).startswith(b"%PDF")
    assert workbook_bytes(lists_of(empty, UnitSystem.METRIC).values(), Job()).startswith(b"PK")


def test_exported_text_never_becomes_a_formula(dossier):
    evil = "=cmd|' /C calc'!A0"
    job = dossier.plan.job
    part = Accent(key=9, name=evil, items=(Used(item=evil, count=1),))
    piece = replace(job.pieces[4], name=evil, parts=(part,))
    nasty = Dossier(plan(replace(job, pieces=(piece,), pricing=Pricing(currency="=1+1")), Studio()))
    book = openpyxl.load_workbook(
        io.BytesIO(workbook_bytes(lists_of(nasty, UnitSystem.METRIC).values(), nasty.plan.job))
    )
    texts = 0
    for sheet in book:
        for row in sheet.iter_rows():
            for cell in row:
                if isinstance(cell.value, str) and "cmd" in cell.value:
                    texts += 1
                    assert cell.data_type == "s"
                elif cell.data_type == "f":
                    assert re.match(r"=(SUM|MAX|ROUNDUP|[A-Z]+\d+ \+)", str(cell.value))
    assert texts
    for listing in lists_of(nasty, UnitSystem.METRIC).values():
        for line in csv.reader(io.StringIO(list_csv(listing, nasty.plan.job))):
            assert not any(cell.startswith(("=", "@", "+")) for cell in line)
    assert wanted_pdf(nasty).startswith(b"%PDF")


# --- stock read back -----------------------------------------------------------------------------


def test_a_written_list_is_read_back_as_stock(dossier, tmp_path: Path):
    for name, content in (
        ("buying.csv", list_csv(lists_of(dossier, UnitSystem.METRIC)["buying"], dossier.plan.job).encode()),
        ("all.xlsx", workbook_bytes([lists_of(dossier, UnitSystem.METRIC)["supplies"]], dossier.plan.job)),
    ):
        path = tmp_path / name
        path.write_bytes(content)
        sheet = read_sheets(path)[0]
        mapping = Mapping(
            sheet.heads.index("nominal_in" if name.endswith("csv") else "Nominal"),
            [h.lower() for h in sheet.heads].index("colour"),
            [h.lower() for h in sheet.heads].index("needed") if name.endswith("xlsx") else sheet.heads.index("total"),
        )
        found = imported(sheet, mapping, dossier.plan.job.palette)
        key = "needed" if name.endswith("xlsx") else "total"
        wanted = {line.kind: getattr(line, key) for line in dossier.supplies.whole}
        assert {(i.nominal_in, i.colour): i.balloons for i in found.items} == wanted


@pytest.mark.parametrize(
    ("text", "items", "problem"),
    [
        ('Size;Colour;Qty\n11";Sail White;40\n11;SW;5\n', {(11.0, "sail-white"): 45}, ""),
        ("\nmy list\nnominal,color,on hand\n5,rope,12\n", {(5.0, "rope"): 12}, ""),
        ("nominal,colour,stock\n11,rope,-4\n", {}, "cannot be in stock"),
        ("nominal,colour,stock\n11,rope,=1+1\n", {}, "formula"),
        ("nominal,colour,stock\n11,mud,3\n", {}, "no colour is called"),
        ("nominal,colour,stock\n400,rope,3\n", {}, "no nominal size"),
        ("nominal,colour,stock\n11,rope,2.5\n", {}, "whole number"),
        ("nominal,colour,stock\n11,rope,1e400\n", {}, "whole number"),
        ("nominal,colour,stock\n11,rope\n", {}, "no number"),
    ],
)
def test_lists_of_stock_in_many_dialects(tmp_path: Path, text, items, problem):
    path = tmp_path / "stock.csv"
    path.write_text(text)
    sheet = read_sheets(path)[0]
    mapping = guessed(sheet)
    assert mapping is not None
    found = imported(sheet, mapping, DEFAULT_PALETTE)
    assert {(i.nominal_in, i.colour): i.balloons for i in found.items} == items
    assert problem in " ".join(found.problems)


def test_formulas_in_a_workbook_are_never_worked_out(tmp_path: Path):
    book = openpyxl.Workbook()
    sheet = book.active
    for row in (["nominal", "colour", "balloons"], [11, "rope", "=40+2"], [9, "rope", 7]):
        sheet.append(row)
    path = tmp_path / "stock.xlsx"
    book.save(path)
    read = read_sheets(path)[0]
    found = imported(read, guessed(read), DEFAULT_PALETTE)
    assert [(i.nominal_in, i.balloons) for i in found.items] == [(9.0, 7)]
    assert len(found.problems) == 1


def bomb() -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/workbook.xml", b"0" * 80_000_000)
    return buffer.getvalue()


@pytest.mark.parametrize(
    "content",
    [b"", b"PK\x03\x04 cut short", b"\0\1\2\3", bomb(), b"PK" + bytes(range(256)) * 4,
     b"nominal,colour,stock\n" + b"11,rope,1\n" * 20_100],
    ids=["empty", "cut short", "binary", "bomb", "rubbish", "endless"],
)  # fmt: skip
def test_hostile_lists_are_refused_in_one_sentence(tmp_path: Path, content):
    path = tmp_path / "stock.xlsx"
    path.write_bytes(content)
    told = ""
    try:
        lines = [line for sheet in read_sheets(path) for line in sheet.lines]
    except KakushiError as error:
        told, lines = str(error), []
    assert "\n" not in told
    assert not lines


@given(st.lists(st.lists(st.text(max_size=12), min_size=3, max_size=3), max_size=8))
def test_any_text_in_a_table_gives_stock_or_a_reason(lines):
    sheet = Sheet("any", ("a", "b", "c"), tuple(map(tuple, lines)))
    found = imported(sheet, Mapping(0, 1, 2), DEFAULT_PALETTE)
    assert all(item.balloons >= 0 for item in found.items)
    assert len(found.problems) + len(found.items) <= len(lines) or not found.problems


def test_listing_columns_are_found_by_key():
    listing = Listing("k", "K", "", (Column("a", "A"), Column("n", "N", "count", summed=True)), (("x", 2), ("y", None)))
    assert listing.column("n") == (2, None)
    assert listing.total("n") == 2
    with pytest.raises(ValueError, match="not in list"):
        listing.column("z")


@pytest.mark.parametrize("end", ["\r", "\n", "\r\n", "\x0b", "\x85", "\u2028", "\x00"])
def test_a_line_end_in_a_name_ends_no_line_of_a_table(end: str) -> None:
    assert plain(f"Quay{end}sign") == "Quay sign"
    assert plain(f"{end}=1+1") == "' =1+1"


# --- the page for the phone ------------------------------------------------------------------------------------------


class _Page(HTMLParser):
    """Elements of a page with their attributes, and the text of each kind of element."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.elements: list[tuple[str, dict[str, str | None]]] = []
        self.texts: dict[str, str] = {}
        self._open = ""
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.elements.append((tag, dict(attrs)))
        self._open = tag

    def handle_data(self, data: str) -> None:
        self.texts[self._open] = self.texts.get(self._open, "") + data


HOSTILE = ("</script><script>alert(1)</script>", "<img src=x onerror=alert(1)>", '" onclick="alert(1)', "مرحبا & <b>")


def test_the_page_for_the_phone_holds_everything_and_runs_nothing_of_others() -> None:
    job = load_job(demo_job_path())
    pieces = tuple(replace(piece, name=name) for piece, name in zip(job.pieces[:4], HOSTILE, strict=True))
    palette = tuple(replace(colour, name=f"<b>{colour.name}") for colour in job.palette)
    brief = replace(job.brief, title="A</title><script>alert(2)</script>")
    job = replace(job, pieces=pieces, palette=palette, brief=brief)
    dossier = Dossier(plan(job, Studio()))
    text = phone_html(dossier)
    page = _Page(text)
    assert len(text) < 3_000_000
    tags = [tag for tag, _ in page.elements]
    # A script of data, and one of the page's own; none that a name brought along, nothing loaded from elsewhere.
    assert tags.count("script") == 2
    assert not any(name.startswith("on") for _, attributes in page.elements for name in attributes)
    for tag, attributes in page.elements:
        assert tag not in ("link", "iframe", "object", "b")
        source = attributes.get("src") or attributes.get("href") or ""
        assert not source or source.startswith("data:image/jpeg;base64,")
    policy = next(dict(a)["content"] for tag, a in page.elements if "http-equiv" in a)
    script = text.rsplit("<script>", 1)[1].split("</script>", 1)[0]
    digest = base64.b64encode(hashlib.sha256(script.encode()).digest()).decode()
    assert f"script-src 'sha256-{digest}'" in policy
    assert "default-src 'none'" in policy
    told = json.loads(text.split('id="told">', 1)[1].split("</script>", 1)[0])
    copies: dict[object, list[Step]] = {}
    for step in dossier.steps:
        copies.setdefault((step.piece, step.copy), []).append(step)
    goes = [list(goes_of(steps)) for steps in copies.values()]
    assert [len(copy["steps"]) for copy in told["copies"]] == [len(each) for each in goes]
    assert sorted(step.key for each in goes for go in each for step in go) == sorted(s.key for s in dossier.steps)
    assert {copy["name"].split(",")[0] for copy in told["copies"]} >= {HOSTILE[3]}
    assert all(len(headline) < 160 for headline, *_ in told["texts"])
    boxes = sum(1 for tag, attributes in page.elements if tag == "input" and "data-tick" in attributes)
    lists = lists_of(dossier, UnitSystem.METRIC)
    assert boxes == sum(len(lists[key].rows) for key in ("supplies", "materials", "inflation"))
