"""The usual cautions, in plain words, for screens and prints. They never replace local rules."""

from __future__ import annotations

GENERAL = (
    "Uninflated or burst balloons choke small children: pick up every piece, watch children under eight.",
    "Natural latex can cause serious allergy: ask client and venue. Never inflate by mouth.",
    "Nothing may fall: level floor, out of walkways and exits. Outdoors only with the venue’s consent, "
    "anchoring approved by someone competent.",
    "Keep away from heat, flame, spotlights, sprinklers and alarm beams; public buildings follow the fire authority.",
    "Never release balloons; collect and bin everything.",
)
ESTIMATE = "Heights are computed for balloons sized exactly and packed as stated; measure the first rows you build."
