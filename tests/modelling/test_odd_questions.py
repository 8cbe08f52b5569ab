"""What bodies, faces, edges, vertices and selections are asked with: one line for what has no answer."""

from __future__ import annotations

import math

import numpy as np
import pytest

import lathwick as lw


@pytest.fixture(scope="module")
def block() -> lw.Body:
    return lw.box(10, 20, 30, step="block")


ODD = {
    "a text for a plane": (lambda b: b.edges().on("block/end"), "on: plane takes a plane or a planar face"),
    "an axis for a plane": (lambda b: b.edges().on(lw.Z), "on: plane takes a plane or a planar face"),
    "nothing for a plane": (
        lambda b: b.faces().on(None),
        "on: plane takes a plane or a planar face, got None",
    ),
    "texts for a box": (
        lambda b: b.edges().within("a", "b"),
        "within: low takes three finite numbers, got 'a'",
    ),
    "a flat box": (lambda b: b.edges().within((0, 0), (1, 1)), "within: low takes three finite numbers"),
    "a number for a point": (
        lambda b: b.faces().nearest(5),
        "nearest: point takes three finite numbers, got 5",
    ),
    "no number": (lambda b: b.edges().nearest((math.nan, 0, 0)), "nearest: point takes three finite numbers"),
    "half an edge": (lambda b: b.edges().longest(1.5), "longest: n takes a whole number, got 1.5"),
    "less than none": (
        lambda b: b.edges().longest(-1),
        "longest: n takes a whole number of 0 or more, got -1",
    ),
    "no function": (lambda b: b.edges().where(3), "where: test takes a function, got 3"),
    "a text for a size": (
        lambda b: b.edges().circular("3"),
        "circular: radius takes a finite number, got '3'",
    ),
    "no way": (lambda b: b.edges().parallel((0, 0, 0)), "direction (0, 0, 0) has no length"),
    "letters as edges": (lambda b: b.edges() | "block/end", "a selection is combined with another, got 'bl"),
    "a number as edges": (lambda b: b.edges() - 5, "a selection is combined with another, got 5"),
    "no address": (lambda b: b.face(3), "face: address takes a text, got 3"),
    "one of two": (lambda b: b.edge("block/end"), "argument: 'other'; it is edge(address, other)"),
    "letters as points": (lambda b: b.contains("x"), "contains takes points of shape (N, 3), got 'x'"),
    "one point": (lambda b: b.contains((1, 2, 3)), "contains takes points of shape (N, 3), got shape (3,)"),
    "a text for a direction": (lambda b: b.undercuts("z"), "undercuts: direction takes three finite numbers"),
    "a sample of none": (lambda b: b.thinnest(-1), "sample is a number of places, 1 to 1000000, got -1"),
    "a face asked with a text": (lambda b: b.faces()[0].distance_to("x"), "distance_to: point takes three"),
    "a face asked with two": (lambda b: b.faces()[0].nearest((1, 2)), "nearest: point takes three finite"),
    "a normal nowhere": (lambda b: b.faces()[0].normal_at(None), "normal_at: point takes three finite"),
    "an edge in a number": (lambda b: b.edges()[0].lies_in(3), "lies_in: plane takes a plane, got 3"),
    "a vertex from a text": (lambda b: b.vertices()[0].distance_to("x"), "distance_to: point takes three"),
    "too much": (lambda b: b.faces()[0].edges("block/end"), "too many positional arguments; it is edges()"),
}


@pytest.mark.parametrize("case", ODD)
def test_what_has_no_answer_gets_one_line(case, block):
    ask, words = ODD[case]
    with pytest.raises(lw.ModellingError) as refusal:
        ask(block)
    assert words in str(refusal.value)
    assert "\n" not in str(refusal.value)


def test_a_planar_face_stands_for_its_plane(block):
    end = block.face("block/top")
    assert block.edges().on(end) == block.edges().on(lw.XY.offset(30)) == block.edges("block/top")
    with pytest.raises(lw.ModellingError, match="a cylinder face has no single normal"):
        block.edges().on(lw.cylinder(2, 3).faces().cylindrical()[0])


def test_points_of_any_kind(block):
    corner = block.vertices().nearest(np.array([10, 20, 30]))
    assert corner[0].point == (10, 20, 30)
    assert block.vertices().nearest([np.float32(10), 20, np.int64(30)]) == corner
    assert block.edges().nearest(iter((5.0, 0.0, 0.0)))[0].center == (5, 0, 0)


def test_what_a_selection_does_not_hold(block):
    with pytest.raises(IndexError, match=r"the selection holds 0 items; there is no \[0\]"):
        block.edges().circular()[0]
    with pytest.raises(IndexError, match=r"the selection holds 12 items; there is no \[12\]"):
        block.edges()[12]
    assert list(block.edges()[10:]) == [block.edges()[-2], block.edges()[-1]]


def test_a_call_tells_how_it_goes():
    sk = lw.Sketch()
    with pytest.raises(lw.SketchError) as refusal:
        sk.slot((-10, 15), (10, 15), 6)
    call = "slot(length, width, *, center=, angle=, overall=, construction=, name=)"
    assert str(refusal.value) == f"slot: too many positional arguments; it is {call}"
    with pytest.raises(lw.ModellingError, match=r"got an unexpected keyword argument 'size'; it is cut\("):
        lw.cut(lw.box(1, 1, 1), size=3)


@pytest.mark.parametrize(
    ("given", "color"),
    [
        ("steelblue", (70 / 255, 130 / 255, 180 / 255)),
        ("Steel Blue", (70 / 255, 130 / 255, 180 / 255)),
        ("#4682B4", (70 / 255, 130 / 255, 180 / 255)),
        ("#fff", (1, 1, 1)),
        ((0.5, 0, 1), (0.5, 0, 1)),
    ],
)
def test_colors_by_name_and_number(given, color, block):
    assert lw.Part(block, color=given).color == pytest.approx(color)


@pytest.mark.parametrize("given", ["steel", "#12", "#gggggg", "", (1, 2, 3), (0.5, 0.5), 7, "rgb(1,2,3)"])
def test_what_is_no_color_gets_one_line(given, block):
    with pytest.raises(lw.ParameterError) as refusal:
        lw.Part(block, color=given)
    assert 'is no color; write "steelblue", "#4682b4" or three numbers' in str(refusal.value)
