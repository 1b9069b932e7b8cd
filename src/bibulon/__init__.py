"""Bibulon plans and runs vacuum infusion and light resin transfer moulding jobs."""

__version__ = "0.1.0"

import os as _os

# One BLAS thread a computation: the matrices are small, and forecasts share the cores by running side by side.
_os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
