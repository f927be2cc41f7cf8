"""Files made to cost: those within the limits are read, those beyond are refused in a sentence."""

from __future__ import annotations

import io
import runpy
import zipfile
from pathlib import Path

import pytest
from PIL import Image

from kakushi.cli.main import main
from kakushi.formats.read.motif_picture import read_picture
from kakushi.formats.read.outline_svg import load_svg_outlines
from kakushi.formats.read.stock_import import read_sheets
from kakushi.formats.store import limits
from kakushi.formats.store.job_file import load_job
from kakushi.model.errors import BadInput, KakushiError

ROOT = Path(__file__).parents[2]


def test_the_page_of_limits_is_that_of_the_readers() -> None:
    page = runpy.run_path(str(ROOT / "scripts" / "make_limits.py"))["limits_page"]()
    assert (ROOT / "docs" / "limits.md").read_text(encoding="utf-8") == page, "run scripts/make_limits.py"


USE = '<use href="#g{}"/>'


def svg(path: Path, inside: str) -> Path:
    path.write_text(f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 900 900">{inside}</svg>', encoding="utf-8")
    return path


def curves(many: int) -> str:
    steps = "".join(f"C {k % 7} {k % 5} {k % 11} {k % 3} {k % 90} {k % 80} " for k in range(many))
    return f'<path d="M 0 0 {steps} Z"/><path d="M 100 0 L 400 0 L 300 800 L 200 800 Z"/>'


def test_a_drawing_of_twenty_thousand_curves_is_read(tmp_path: Path) -> None:
    found = load_svg_outlines(svg(tmp_path / "detailed.svg", curves(20_000)), 1000.0)
    assert found


@pytest.mark.parametrize(
    "inside",
    [
        '<g id="g0"><path d="M0 0H9V9Z"/></g>'
        + "".join(f'<g id="g{k + 1}">{USE.format(k) * 10}</g>' for k in range(8))
        + USE.format(8),
        '<g id="a"><use href="#a"/></g><use href="#a"/>',
        f"<style>{'path{fill:red}' * 9000}</style><path d='M0 0H9V9Z'/>",
        "<g>" * 5000 + "</g>" * 5000,
        "<path d='M0 0H9V9Z'/>" * 60_000,
        f"<path d='M0 0{' 1 2' * 400_000}'/>",
    ],
    ids=["uses of uses", "use of itself", "style", "depth", "elements", "numbers"],
)
def test_drawings_beyond_the_budget_are_refused(inside: str, tmp_path: Path) -> None:
    with pytest.raises(KakushiError):
        load_svg_outlines(svg(tmp_path / "bomb.svg", inside), 1000.0)


def test_jpegs_of_endless_parts_or_scans_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "bomb.jpg"
    path.write_bytes(b"\xff\xd8" + b"\xff\xfe\x00\x02" * 1_000_000)
    with pytest.raises(BadInput, match="too many parts"):
        read_picture(path)
    image = io.BytesIO()
    Image.new("L", (6000, 6000), 255).save(image, "JPEG")
    data = image.getvalue()
    scan = data[data.index(b"\xff\xda") : -2]
    path.write_bytes(data[:-2] + scan * 40 + data[-2:])
    with pytest.raises(BadInput, match="too large"):
        read_picture(path)
    path.write_bytes(data)
    assert read_picture(path).size == (1600, 1600)


def test_workbooks_that_unpack_to_much_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "bomb.xlsx"
    cell = "<c><v>1</v></c>"
    for sheet in (cell * 100_000, "<v>" + "1" * (limits.STOCK_UNPACKED + 1) + "</v>"):
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("[Content_Types].xml", "<Types/>")
            rows = f"<sheetData><row>{sheet}</row></sheetData>"
            archive.writestr("xl/worksheets/sheet1.xml", f"<worksheet>{rows}</worksheet>")
        with pytest.raises(KakushiError):
            read_sheets(path)


@pytest.mark.parametrize("pieces", ["[" + "[]," * 4_000_000 + "[]]", '[{"kind": "' + "x" * 10_000_000 + '"}]'])
def test_small_jobs_that_unpack_to_much_are_refused_in_a_sentence(pieces: str, tmp_path: Path) -> None:
    path = tmp_path / "bomb.kakushi"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("job.json", f'{{"format": "kakushi job", "schema_version": 5, "job": {{"pieces": {pieces}}}}}')
    with pytest.raises(KakushiError) as refused:
        load_job(path)
    assert len(str(refused.value)) < 700


def test_commands_write_over_files_only_when_told_to(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "vase.kakushi"
    path.write_text("something of mine")
    fit = ["fit", "vase", "--height", "1m", "--max-sizes", "2", "-o", str(path)]
    assert main(fit) != 0
    assert "--force" in capsys.readouterr().err
    assert path.read_text() == "something of mine"
    assert main([*fit, "--force"]) == 0
    assert load_job(path).pieces[0].rows
    picture = tmp_path / "vase.png"
    picture.write_bytes(b"mine")
    assert main(["render", str(path), "-o", str(picture)]) != 0
    assert picture.read_bytes() == b"mine"
    out = tmp_path / "out"
    assert main(["export", str(path), "--formats", "csv", "--to", str(out)]) == 0
    before = {each.name: each.read_bytes() for each in out.iterdir()}
    next(iter(out.iterdir())).write_bytes(b"mine")
    assert main(["export", str(path), "--formats", "csv", "--to", str(out)]) != 0
    assert sum(each.read_bytes() != before[each.name] for each in out.iterdir()) == 1
