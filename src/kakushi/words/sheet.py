"""What is said on the inflation sheet: kinds of duplets, where they go, how full they are, shortages and spares."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from kakushi.colour.tying import Balloon, Kind
from kakushi.model.catalogue import NominalSize
from kakushi.model.roles import BalloonRole
from kakushi.model.units import UnitSystem, format_diameter, format_length, format_nominal
from kakushi.plan.values import Plan
from kakushi.words.steps import TIED_TOGETHER
from kakushi.words.wording import Wording, counted, ranges, thickness
from kakushi.workshop.bags import Purchase
from kakushi.workshop.buying import Shortage
from kakushi.workshop.dossier import Dossier, LastRow
from kakushi.workshop.fill import ROOM_C, USUAL, Climate, FillAdvice, largest_fill
from kakushi.workshop.round_settings import RoundSettings
from kakushi.workshop.sheet import CoarseSetting, SheetLine, setting_for
from kakushi.workshop.supplies import Supplies


def kind_words(kind: Kind, wording: Wording) -> str:
    """A kind of duplet in words: “duplet: harbour blue + sail white”; sizes where they differ."""
    mixed = len({(b.nominal_in, b.diameter_mm) for b in kind}) > 1
    names = [
        wording.colour(b.colour)
        + (f" {format_nominal(b.nominal_in)} to {wording.diameter(b.diameter_mm)}" if mixed else "")
        for b in kind
    ]
    told = " + ".join(f"{count} × {name}" if count > 1 else name for name, count in Counter(names).items())
    return f"{TIED_TOGETHER.get(len(kind), f'{len(kind)} together')}: {told}"


def rows_words(line: SheetLine, plan: Plan) -> str:
    """Name the pieces and rows that use a kind, as in “Gate column 1–4, 7”."""
    told = []
    for piece in dict.fromkeys((*(key for key, _ in line.rows), *line.pieces)):
        named_piece = plan.job.piece(piece)
        rows = {row + 1 for key, row in line.rows if key == piece}
        told.append(f"{named_piece.name if named_piece else '?'} {ranges(rows)}".rstrip())
    return "; ".join(told)


def settings_words(balloons: Iterable[Balloon], dossier: Dossier, units: UnitSystem) -> str:
    """How the inflator is set for each size, large ones first: “28.5 cm: 4 · 27.5 cm: 3½ strokes”; "" without one."""
    inflator, told = dossier.inflator, dict[tuple[float, float], float]()
    if inflator is None:
        return ""
    for balloon in sorted(balloons, key=lambda each: (-each.diameter_mm, -each.nominal_in)):
        setting = setting_for(balloon, dossier.plan.studio, inflator).setting
        if setting is not None:
            told[balloon.nominal_in, round(balloon.diameter_mm, 1)] = setting
    said = [f"{format_diameter(diameter, units)}: {setting:g}" for (_, diameter), setting in told.items()]
    return f"{' · '.join(dict.fromkeys(said))} {inflator.unit} (“{inflator.name}”)." if said else ""


def used_for_words(line: SheetLine, plan: Plan) -> str:
    """What a kind is for: pieces with their rows, or with the kind of part."""
    pieces = rows_words(line, plan)
    return pieces if line.part is BalloonRole.ROW else f"{pieces}: {line.part.value}" if pieces else line.part.value


def advice_words(advice: FillAdvice | CoarseSetting, units: UnitSystem) -> str:
    """Advice on how full a balloon is, or on a setting too coarse for it."""
    if isinstance(advice, CoarseSetting):
        inflator = advice.inflator
        unit = "s" if inflator.method == "timed" else "stroke" if inflator.step <= 1 else "strokes"
        step = f"{inflator.step:g} {unit} is {thickness(advice.step_mm, units)} here"
        return f"{step}: {thickness(advice.reached_mm, units)} can be had, finish with the sizer"
    limit, climate = f"{advice.limit:.0%}", advice.climate
    match advice.what:
        case "pops":
            return f"over {limit}: likely to pop"
        case "too full":
            return f"too full for {climate.temperature_c:.0f} °C{' and sun' if climate.sunny else ''}: at most {limit}"
        case "pear":
            return f"under {limit}: long neck, pear-shaped"
        case "stiff":
            return f"from {limit}: stiff, handle with care"


def climate_words(size: NominalSize, climate: Climate) -> str:
    """How full balloons of a nominal size may be sized indoors for that climate."""
    if climate == USUAL:
        return f"For a room of {ROOM_C:.0f} °C: at most {size.fill_high:.0%} of nominal."
    light, dark = largest_fill(size, climate, dark=False), largest_fill(size, climate, dark=True)
    where = f"{climate.temperature_c:.0f} °C{' in the sun' if climate.sunny else ' out of the sun'}"
    if f"{light:.0%}" == f"{dark:.0%}":
        return f"For {where}, sized indoors: at most {light:.0%} of nominal."
    return f"For {where}, sized indoors: light colours at most {light:.0%}, dark ones {dark:.0%} of nominal."


def bags_words(purchase: Purchase | None) -> str:
    """Bags to buy, like “2 × 50 + 1 × 25”; empty where nothing is bought."""
    if purchase is None:
        return "not sold here"
    return " + ".join(f"{count} × {size}" for size, _, count in purchase.bags)


def spares_words(supplies: Supplies, plan: Plan) -> str:
    """Say why there are that many spares."""
    if not supplies.whole:
        return "No balloons are needed yet."
    low, high = supplies.pop_rates
    rate = f"{high:.1%}" if high - low < 0.0005 else f"{low:.1%} to {high:.1%}"
    popped, used = supplies.counted
    known = f"your log: {popped} of {used}" if used else "your log has none yet"
    links = sum(supplies.links.values())
    of_links = f" and {links} of link balloons" if links else ""
    return (
        f"{sum(supplies.spares.values())} spares{of_links}: a {supplies.confidence:.1%} chance that no size and "
        f"colour runs out, if {rate} of balloons pop {plan.job.brief.place} ({known})."
    )


def shortage_words(shortage: Shortage, wording: Wording) -> str:
    """Say what you are short of, and what could replace it."""
    line, ideas = shortage.line, []
    for other in shortage.substitutes:
        if other.colour == line.colour:
            size = f"{format_nominal(other.nominal_in)} of the same colour reaches the same size"
            ideas.append(f"{size}; {other.spare} to spare")
        else:
            swap = f"swap some rows to “{wording.colour(other.colour)}”"
            ideas.append(f"{swap}: {other.spare} × {format_nominal(other.nominal_in)} to spare")
    words = f"Short of {line.short} {wording.colour(line.colour)} {format_nominal(line.nominal_in)}"
    return f"{words}: {'; '.join(ideas) or 'buy it'}."


def last_row_words(last: LastRow, wording: Wording) -> str:
    """What one row more or fewer takes."""
    said = ", ".join(
        f"{count} × {format_nominal(nominal)} {wording.colour(key)}" for nominal, key, count in last.balloons
    )
    each = {1: "", 2: " on both"}.get(last.copies, f" on all {last.copies}")
    return f"{last.piece}, one row more or fewer{each}: {said}."


def rounded_words(found: RoundSettings, height_mm: float, units: UnitSystem) -> str:
    """What rounding the settings of a piece came to."""
    by = found.planned.height_mm - height_mm
    height = f"{format_length(abs(by), units)} {'taller' if by > 0 else 'shorter'}" if abs(by) >= 1 else "as tall"
    sizes = ", ".join(
        f"{format_nominal(each.size[0])} {each.setting:g}: {format_diameter(each.diameter_mm, units)}"
        for each in found.rounded
    )
    return f"{counted(found.settings, 'setting')} instead of {found.before}; {height}. {sizes}."
