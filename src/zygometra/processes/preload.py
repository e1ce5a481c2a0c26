"""What every child has loaded before it begins: a task does not wait for its libraries.

Linear algebra runs on one thread in a child: that is said before NumPy is loaded.
"""

import os

for _name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
    os.environ[_name] = "1"

import numpy  # noqa: E402, F401
import PIL.Image  # noqa: E402, F401
import scipy.optimize  # noqa: E402
import scipy.stats  # noqa: E402, F401

import zygometra.core.findings.collect  # noqa: E402
import zygometra.core.planning.bounded  # noqa: E402, F401
