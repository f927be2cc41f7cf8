"""Names for NumPy arrays; shapes and units stand where they are used."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.floating[Any]]
Ints = NDArray[np.integer[Any]]
