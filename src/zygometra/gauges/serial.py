"""A gauge on a serial line or a device file: the adapter for a real one.

Any file that gives the gauge's bytes will do: ``/dev/ttyUSB0`` after ``stty``, a named pipe, the terminal
of a keyboard wedge. Nothing of this is opened by the application itself; docs/gauges.md says how it is run.
"""

from __future__ import annotations

import os
import select
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class SerialPort:
    """Bytes of an open file, as they come.

    Parameters
    ----------
    file : object
        Open for reading bytes, with a file descriptor; the caller closes it.
    patience : float
        Seconds without a byte after which the gauge counts as switched off.
    """

    file: Any
    patience: float = 600.0

    def portions(self) -> Iterator[bytes]:
        """Yield portions until the line ends or falls silent."""
        descriptor = self.file.fileno()
        while select.select([descriptor], [], [], self.patience)[0]:
            portion = os.read(descriptor, 512)
            if not portion:
                return
            yield portion
