"""Kakushi: plan, prepare and build balloon columns and sculptures.

Importing this package imports no Qt; only `kakushi.desktop` does.
"""

import os

__version__ = "0.1.0"

# The solver's bands are small: threads inside the linear algebra cost far more than they bring, and
# where other work runs beside it they slow it tenfold and more. Read when NumPy and SciPy load.
for _setting in ("OPENBLAS_NUM_THREADS", "OMP_NUM_THREADS", "MKL_NUM_THREADS"):
    os.environ.setdefault(_setting, "1")
