"""Lists on the screen say what the plan says."""

from __future__ import annotations

from kakushi.desktop.widgets.listing_table import ListingTable
from kakushi.formats.store.job_file import load_job
from kakushi.formats.store.paths import demo_job_path
from kakushi.model.catalogue import Studio
from kakushi.model.units import UnitSystem
from kakushi.plan.pipeline import plan
from kakushi.words.lists import lists_of
from kakushi.workshop.dossier import Dossier


def test_the_list_on_the_screen_adds_up_to_the_plan_s_balloons(qtbot) -> None:
    dossier = Dossier(plan(load_job(demo_job_path()), Studio()))
    table = ListingTable("supplies")
    qtbot.addWidget(table)
    table.show_listing(lists_of(dossier, UnitSystem.METRIC)["supplies"], dossier.plan.job, UnitSystem.METRIC)
    shown = [line.split("\t") for line in table.as_text().splitlines()]
    place = shown[0].index("Total")
    assert sum(int(line[place]) for line in shown[1:]) == sum(line.total for line in dossier.supplies.whole)
