"""Names of any script in print: faces that have their signs, reading order, and a word on what no face has."""

from __future__ import annotations

import io

import pytest
from pypdf import PdfReader
from reportlab.pdfgen.canvas import Canvas

from kakushi.formats.print.pack import wanted_pdf
from kakushi.formats.print.text import PLAIN, draw_line, markup, not_printed, runs, width_of
from kakushi.model.catalogue import Studio
from kakushi.model.groups import RowsGroup, uniform_row
from kakushi.model.job import Brief, Job
from kakushi.model.piece import Piece
from kakushi.model.units import UnitSystem
from kakushi.plan.pipeline import plan
from kakushi.workshop.dossier import Dossier

NAMES = ("עמוד", "منارة", "灯塔の花瓶", "항구 표지", "Κέλπ и маяк", "ไทย", "Kelp 🎈")


def named(name: str) -> Job:
    group = RowsGroup(rows=(uniform_row(1, 4, 11, 220.0), uniform_row(2, 4, 11, 210.0)))
    return Job(brief=Brief(title="Quay"), pieces=(Piece(key=1, name=name, groups=(group,)),))


@pytest.mark.parametrize("name", NAMES)
def test_every_sign_of_a_name_is_set_in_a_face_that_has_it(name: str) -> None:
    assert "□" not in "".join(part for _, part in runs(name))
    assert not_printed(named(name)) == ""
    assert width_of(name, 10) > 5


def test_latin_stays_in_the_usual_face_and_markup_is_escaped() -> None:
    assert runs("Gate column 1–4 · ″ é") == [(PLAIN, "Gate column 1–4 · ″ é")]
    assert markup("a < b & <b>c</b>") == "a &lt; b &amp; &lt;b&gt;c&lt;/b&gt;"
    assert markup("灯<") == '<font name="DroidSansFallback">灯</font>&lt;'
    assert markup("one\ntwo") == "one<br/>two"


def test_words_from_right_to_left_are_turned_round_and_letters_joined() -> None:
    assert [part for _, part in runs("אבג")] == ["גבא"]
    assert "".join(part for _, part in runs("Quay אב 12")) == "Quay 12 בא"
    joined = "".join(part for _, part in runs("منارة"))
    assert joined == "".join(reversed("\ufee3\ufee8\ufe8e\ufead\ufe93")), "initial, medial, final and lone forms"


def test_what_no_face_has_is_told_and_stands_as_a_box() -> None:
    job = named("Kelp 𒀀")
    assert runs("𒀀")[0][1] == "□"
    assert "U+12000 cuneiform sign a" in not_printed(job)
    assert not_printed(named("a\u200fb\u0301\n")) == "", "signs that only shape others are none that is missed"


def test_names_reach_the_pages_and_their_heads() -> None:
    job = named("灯塔")
    job = job.model_copy(update={"brief": Brief(title="רציף")})
    pages = PdfReader(io.BytesIO(wanted_pdf(Dossier(plan(job, Studio())), UnitSystem.METRIC))).pages
    assert any("灯塔" in page.extract_text() for page in pages)
    fonts = {str(font) for font in pages[0]["/Resources"]["/Font"]}
    assert len(fonts) > 2


def test_a_line_is_as_wide_as_its_runs() -> None:
    canvas = Canvas(io.BytesIO())
    draw_line(canvas, 10, 10, "Kelp 灯塔", 12)
    assert width_of("Kelp 灯塔", 12) == pytest.approx(width_of("Kelp ", 12) + width_of("灯塔", 12))
    assert width_of("", 12) == 0
