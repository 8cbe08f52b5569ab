"""Booleans of random trees against exact answers; and every tree that once went wrong."""

import pytest

import lathwick as lw

from .csg import random_tree, wrong_points

ONCE_WRONG = {
    6: "two loops round the tube of a torus bound one cell",
    13: "a curve touches a plane: two crossings a hair apart are one touch",
    17: "circles touch so flatly that the place of the touch is loose",
    42: "a torus band the long way round",
    44: "the tip of a cone on another surface",
    70: "a touch exactly at a sample of the distance",
    115: "a face with a cusp of no width",
    130: "a traced curve through the tip of a cone",
    143: "a traced curve through a point where surfaces touch",
    166: "a curve through its own singular point",
    184: "the tip of a cone inside a face with two loops",
    217: "the axis of a cone as a place without a normal",
    239: "a slit where a torus touches an edge",
    253: "a node between four branches of a curve",
    292: "a touch at the end of an edge",
}
"""Seeds of trees that found mistakes, each with what it was."""


def check(seed: int) -> None:
    """Right at every probe point and valid, or refused for touching itself."""
    tree = random_tree(seed)
    try:
        body = tree.body
    except lw.ModellingError as error:
        assert "touch itself" in error.message, f"{seed}: {error.message}"
        return
    assert wrong_points(tree, body, seed, 150) == 0, seed
    assert body is None or body.check() == ()


@pytest.mark.parametrize("seed", ONCE_WRONG)
def test_trees_that_once_went_wrong(seed):
    """Each by its seed."""
    check(seed)


@pytest.mark.parametrize("start", range(0, 300, 25))
def test_trees_are_right(start):
    """300 trees: a third in general position, a third on a lattice, a third touching."""
    for seed in range(start, start + 25):
        check(seed)
