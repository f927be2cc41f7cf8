"""The headless commands, with Qt out of reach."""

from __future__ import annotations

import json
import os
import re
import shlex
import subprocess
import sys
from graphlib import TopologicalSorter
from pathlib import Path

import grimp
import pytest
from PIL import Image

from kakushi.cli.main import main
from kakushi.formats.store.job_file import load_job, save_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.job import Job
from kakushi.model.values import replace

FIT_KEYS = {
    "name", "copies", "target_height_mm", "height_mm", "overall_height_mm", "match_mean", "match_min",
    "balloon_count", "distinct_sizes", "rows", "supplies",
}  # fmt: skip
DEMO = str(demo_job_path())


def test_fit_prints_and_writes_a_job(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    made = tmp_path / "cone.kakushi"
    assert (
        main(["fit", "cone", "--height", "1.8 m", "--nominals", "9,11,16", "--geometry", "--json", "-o", str(made)])
        == 0
    )
    told = json.loads(capsys.readouterr().out)
    assert told.keys() >= FIT_KEYS
    assert told["height_mm"] == pytest.approx(1800, abs=15)
    assert told["balloon_count"] == sum(row["count"] for row in told["rows"]) == len(told["balloons"])
    assert max(b["z_mm"] + b["shape_mm"] / 2 for b in told["balloons"]) == pytest.approx(told["height_mm"], abs=0.02)
    assert set(told["rows"][0]) >= {"row", "count", "nominal_in", "diameter_mm", "z_mm", "turn_deg", "flat"}
    assert set(told["supplies"][0]) >= {"nominal_in", "colour", "needed", "spares", "total"}
    assert main(["plan", str(made), "--json"]) == 0
    again = json.loads(capsys.readouterr().out)["pieces"][0]
    assert {k: again[k] for k in FIT_KEYS} == {k: told[k] for k in FIT_KEYS}


def test_the_commands_of_the_readme_do_what_they_say(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys) -> None:
    root = Path(__file__).parents[1]
    lines = re.findall(r"^\./start (\w.*)$", (root / "README.md").read_text("utf-8"), re.MULTILINE)
    assert len(lines) >= 12
    (tmp_path / "src").symlink_to(root / "src")
    path = '<path d="M10 100 L0 50 L10 0 H30 L40 50 L30 100 Z"/>'
    (tmp_path / "outline.svg").write_text(f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 100">{path}</svg>')
    monkeypatch.chdir(tmp_path)
    for line in lines:
        assert main(shlex.split(line)) == 0, f"{line}: {capsys.readouterr().err}"
        assert capsys.readouterr().out, line
    assert {path.suffix for path in tmp_path.rglob("*.*")} >= {".pdf", ".xlsx", ".csv", ".png", ".html", ".glb"}


def test_fit_takes_csv_outlines(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    outline = tmp_path / "buoy.csv"
    outline.write_text("height,radius\n0,260\n900,140\n")
    assert main(["fit", str(outline), "--height", "120", "--counts", "4,5"]) == 0
    assert "buoy: 1" in capsys.readouterr().out


@pytest.mark.parametrize(
    "arguments",
    [
        ["fit", "vase", "--height", "0"],
        ["fit", "vase", "--height", "-2m"],
        ["fit", "vase", "--height", "1km"],
        ["fit", "vase", "--height", "tall"],
        ["fit", "obelisk", "--height", "2m"],
        ["fit", "quay.svg", "--height", "2m"],
        ["fit", "vase", "--height", "2m", "--counts", "4,9"],
        ["fit", "vase", "--height", "2m", "--nominals", "7"],
        ["fit", "vase", "--height", "25cm", "--nominals", "36"],
        ["fit", "vase", "--height", "2m", "--max-sizes", "0"],
        ["fit", "vase", "--height", "2m", "--rows", "0"],
        ["fit", "vase", "--height", "2m", "--ratio", "nan"],
        ["fit", "vase"],
        ["plan", "nowhere.kakushi"],
        ["plan", DEMO, "--piece", "Whale"],
        ["export", DEMO, "--to", "/proc/nowhere"],
        ["export", DEMO, "--to", ".", "--formats", "doc"],
        ["render", DEMO, "--piece", "Lighthouse", "--size", "0x0", "-o", "a.png"],
        ["render", DEMO, "--piece", "Lighthouse", "--size", "99999x99999", "-o", "a.png"],
        ["render", DEMO, "--piece", "Lighthouse", "--azimuth", "nan", "-o", "a.png"],
        ["render", DEMO, "--piece", "Lighthouse", "-o", ""],
        ["photo", DEMO, "--piece", "Lighthouse", "-o", "/"],
        ["photo", DEMO, "--piece", "Lighthouse", "-o", ""],
        ["photo", DEMO, "--piece", "Lighthouse", "-o", "facts.json"],
        ["export", DEMO, "--to", ""],
        ["export", DEMO, "--to", "out", "--formats", " , "],
        ["rescue", DEMO, "--piece", "Gate column", "--built", "3", "--left", "nan:rope=1"],
        ["rescue", DEMO, "--piece", "Gate column", "--built", "3", "--left", ""],
        ["fit", "vase", "--height", "2m", "--counts" * 3000],
    ],
)
def test_bad_input_is_one_line_and_exit_2(
    arguments: list[str], tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    assert main(arguments) == 2
    out, err = capsys.readouterr()
    assert out == ""
    assert err.count("\n") == 1
    assert err.startswith("kakushi: ")
    assert len(err) < 700
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize(("raised", "code"), [(KeyboardInterrupt(), 130), (ZeroDivisionError("by chance"), 1)])
def test_no_trace_reaches_whoever_runs_a_command(
    raised: BaseException, code: int, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    def fail(_arguments: object) -> None:
        raise raised

    monkeypatch.setattr("kakushi.cli.plan._plan", fail)
    assert main(["plan", DEMO]) == code
    assert capsys.readouterr().err.count("\n") == 1


def test_signs_that_a_terminal_cannot_show_are_escaped() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "kakushi", "fit", "cone", "--height", "1m"],
        capture_output=True, check=False, env={**os.environ, "PYTHONIOENCODING": "ascii"},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert b"\\xd7" in done.stdout


def test_export_and_render_write_what_they_name(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    job, vase = load_job(demo_job_path()), str(tmp_path / "vase.kakushi")
    save_job(replace(job, pieces=job.pieces[2:3]), Path(vase))
    assert main(["export", vase, "--to", str(tmp_path / "out"), "--units", "in"]) == 0
    written = {Path(line).suffix for line in capsys.readouterr().out.split("\n") if line}
    assert written == {".pdf", ".xlsx", ".csv", ".png", ".svg", ".ics", ".glb", ".html"}
    assert main(["export", vase, "--to", str(tmp_path / "out"), "--formats", "svg", "--scale", "7"]) == 2
    front, side = tmp_path / "front.png", tmp_path / "side.png"
    assert main(["render", vase, "--piece", "Glass-float vase", "--size", "200x300", "-o", str(front)]) == 0
    turned = ["--azimuth", "45", "-o", str(side)]
    assert main(["render", vase, "--piece", "Glass-float vase", "--size", "200x300", *turned]) == 0
    with Image.open(front) as image:
        assert image.size == (200, 300)
    assert front.read_bytes() != side.read_bytes()
    assert load_job(demo_job_path()).pieces


def test_headless_commands_run_where_qt_is_blocked() -> None:
    blocked = (
        "import sys\n"
        "sys.modules['PyQt6'] = None\n"
        f"sys.argv = ['kakushi', 'plan', {DEMO!r}, '--json']\n"
        "from kakushi.__main__ import main\n"
        "sys.exit(main())\n"
    )
    done = subprocess.run([sys.executable, "-c", blocked], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert {p["name"] for p in json.loads(done.stdout)["pieces"]} >= {"Lighthouse"}


def test_import_contracts_hold() -> None:
    root = Path(__file__).parents[1]
    script = "import sys; from importlinter.cli import lint_imports_command; sys.exit(lint_imports_command())"
    done = subprocess.run(
        [sys.executable, "-c", script, "--no-cache"], cwd=root, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert "0 broken" in done.stdout


def test_no_import_cycles_type_checking_ones_included() -> None:
    graph = grimp.build_graph("kakushi", exclude_type_checking_imports=False)
    imports = {module: graph.find_modules_directly_imported_by(module) for module in graph.modules}
    # Raises CycleError, which names the modules.
    assert set(TopologicalSorter(imports).static_order()) == graph.modules


def test_benchmarks_find_what_they_measure() -> None:
    root = Path(__file__).parents[1]
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "--collect-only", "-q", "benchmarks"],
        cwd=root,
        # Not as one of this run's parallel workers: in those benchmarks are switched off with an error.
        env={name: value for name, value in os.environ.items() if not name.startswith("PYTEST_")},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stdout


def test_the_schema_names_what_a_job_file_holds(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["schema"]) == 0
    schema = json.loads(capsys.readouterr().out)
    assert set(schema["properties"]) == set(json.loads(Job().model_dump_json()))
