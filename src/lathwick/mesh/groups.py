"""What hangs together."""

from __future__ import annotations

import numpy as np

from .mesh import IntArray


def connected(one: IntArray, two: IntArray, count: int) -> tuple[int, IntArray]:
    """In how many groups things fall of which some are linked, and the group of each, (count,).

    one, two : the numbers of those linked, (N,) each. Indices go as 32 bits: older SciPy takes no others.
    """
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    ends = one.astype(np.int32), two.astype(np.int32)
    links = coo_array((np.ones(len(one), dtype=bool), ends), shape=(count, count))
    groups, label = connected_components(links, directed=False)
    return int(groups), np.asarray(label, dtype=np.int64)
