"""Samples that are mapped from a file: their pages are given back once they were heard."""

import mmap

import numpy as np
from numpy.typing import NDArray


def let_go(samples: NDArray[np.float32]) -> None:
    """Gives the pages of mapped samples back; they are read again when asked for. Nothing for other arrays."""
    if isinstance(samples, np.memmap) and hasattr(mmap, "MADV_DONTNEED"):
        vars(samples)["_mmap"].madvise(mmap.MADV_DONTNEED)
