"""Which colour every slot gets. No Qt, no geometry: only counts and turns of rows."""
