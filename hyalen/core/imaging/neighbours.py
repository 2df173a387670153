"""What lies near what."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from scipy.spatial import cKDTree


def tree_of(points: NDArray[np.floating | np.integer]) -> cKDTree:
    """A tree that tells which of (n, 2) points are near others."""
    from scipy.spatial import cKDTree  # a fifth of the program's start, and only the workers ask

    return cKDTree(points)
