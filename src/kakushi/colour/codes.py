"""Short letter codes for colours, made from their names."""

from __future__ import annotations

from collections.abc import Sequence


def free_code(name: str, taken: Sequence[str]) -> str:
    """A code of at most four letters made from a name that is not `taken` yet."""
    words = [w for w in "".join(c if c.isalnum() else " " for c in name).split() if w] or ["?"]
    # Some letters are two in capitals.
    initials = "".join(word[0] for word in words).upper()[:3]
    tries = [
        initials,
        # Letters of the name before numbers: they are easier to remember.
        *(f"{initials}{c}"[:4] for c in words[-1][1:].lower()),
        *(f"{initials[:2]}{i}" for i in range(2, 99)),
        *(f"{initials[:1]}{i}" for i in range(2, 999)),
    ]
    return next(t for t in tries if t not in taken)
