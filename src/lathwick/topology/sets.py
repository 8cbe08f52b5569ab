"""Disjoint sets.

Source: Tarjan, "Efficiency of a good but not linear set union algorithm", J. ACM 22 (1975).
"""

from __future__ import annotations


class Sets:
    """Disjoint sets of the numbers from 0 to count."""

    def __init__(self, count: int) -> None:
        self._parent = list(range(count))

    def find(self, i: int) -> int:
        while self._parent[i] != i:
            self._parent[i] = self._parent[self._parent[i]]
            i = self._parent[i]
        return i

    def join(self, i: int, j: int) -> None:
        a, b = self.find(i), self.find(j)
        self._parent[max(a, b)] = min(a, b)
