"""How a part is looked at: from where, cut open, seen through, taken apart."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from ..errors import ExchangeError
from ..gate import shown_value
from ..geometry.placement import FloatArray, Plane
from ..modelling.boolean.operations import combined
from ..modelling.combine import half_space
from ..topology.body import Body
from ..topology.brep import Face
from ..topology.names import FaceName
from .camera import View, sight
from .scene import Color, Shown, shown_body, together
from .style import BODY_COLORS

Section: TypeAlias = str | Plane
"""A plane, or "x", "y=12": across an axis, through the middle or at a place on it."""

SECTION = "section"
CUT_COLOR = (0.86, 0.47, 0.36)
ACCENT = (0.90, 0.55, 0.20)
GHOST = 0.22
"""Opacity of what is not meant."""
AXES = "xyz"


@dataclass(frozen=True, slots=True)
class Look:
    """view : see `camera.View`. section : what lies before this plane is taken away. transparent : the
    opacity of all, or names of bodies that one sees through. highlight : the step whose faces are shown in
    color, the rest transparent. explode : bodies are moved away from the middle by this share of their
    distance from it."""

    view: View = "iso"
    section: Section | None = None
    transparent: float | Sequence[str] | None = None
    highlight: str | None = None
    explode: float = 0.0


def triangles_of(bodies: Mapping[str, tuple[Body, Color]], look: Look) -> Shown:
    """What is seen of bodies by name, each in its color. Raises ExchangeError for a look that makes none."""
    if look.section is not None:
        bodies = _opened(bodies, look)
    parts = []
    for name, (body, color) in bodies.items():
        shown = shown_body(body, color)
        colors = shown.colors.copy()
        colors[_of_step(body, SECTION)] = CUT_COLOR
        shown = replace(shown, colors=colors, opacity=_opacity(name, body, look))
        parts.append(_highlit(shown, body, look.highlight))
    _check_names(bodies, look)
    if look.explode:
        parts = _taken_apart(parts, look.explode)
    return together(parts)


def _marked(body: Body, test: Callable[[FaceName], bool]) -> NDArray[np.bool_]:
    """Which faces have a name of a kind, (F,), in the order in which lumps are shown."""
    faces = [face for lump in body.pieces for face in Body((lump,), body.unit).brep_faces]
    return np.array([any(map(test, face.names)) for face in faces], dtype=bool)


def _of_step(body: Body, step: str) -> NDArray[np.bool_]:
    return _marked(body, lambda name: name.step == step)


def marked_body(body: Body, names: Collection[str], plain: Color, color: Color) -> Shown:
    """A body whose faces of some names have a color."""
    shown, meant = shown_body(body, plain), _marked(body, lambda name: str(name) in names)
    return replace(shown, colors=np.where(meant[:, None], np.array(color), shown.colors))


def selected(body: Body, faces: Collection[Face]) -> Shown:
    """A body with some faces in color and the others seen through; all seen through if there are none."""
    shown = shown_body(body, BODY_COLORS[0])
    mine = [face for lump in body.pieces for face in Body((lump,), body.unit).brep_faces]
    meant = np.array([face in faces for face in mine], dtype=bool)
    colors = np.where(meant[:, None], np.array(ACCENT), shown.colors)
    return replace(shown, colors=colors, opacity=np.where(meant, 1.0, 1.5 * GHOST))


def see_through(shown: Shown) -> Shown:
    """The same, so that one sees through it."""
    return replace(shown, opacity=np.full(shown.faces, 1.5 * GHOST))


def _opacity(name: str, body: Body, look: Look) -> FloatArray:
    value, count = 1.0, len(body.brep_faces)
    if isinstance(look.transparent, (int, float)) and not isinstance(look.transparent, bool):
        value = float(look.transparent)
        if not 0.0 < value <= 1.0:
            raise ExchangeError(f"transparent is an opacity above 0 and up to 1, got {look.transparent}")
    elif look.transparent is not None and any(
        name == one or name.startswith(f"{one}/") for one in _names(look.transparent)
    ):
        value = GHOST
    return np.full(count, value)


def _names(given: object) -> list[str]:
    if isinstance(given, str):
        return [given]
    listed: list[Any] = list(given) if isinstance(given, Iterable) else [None]
    if all(isinstance(one, str) for one in listed):
        return listed
    raise ExchangeError(f"transparent is an opacity or names of bodies, got {shown_value(given)}")


def _check_names(bodies: Mapping[str, object], look: Look) -> None:
    if look.transparent is None or isinstance(look.transparent, (int, float)):
        return
    for one in _names(look.transparent):
        if not any(name == one or name.startswith(f"{one}/") for name in bodies):
            raise ExchangeError(f'there is no body "{one}"; there are {", ".join(bodies)}')


def _highlit(shown: Shown, body: Body, step: str | None) -> Shown:
    if step is None:
        return shown
    meant = _of_step(body, step)
    colors = np.where(meant[:, None], np.array(ACCENT), shown.colors)
    return replace(shown, colors=colors, opacity=np.where(meant, 1.0, GHOST))


def _taken_apart(parts: Sequence[Shown], share: float) -> list[Shown]:
    boxes = np.array([[p.corners.min(axis=(0, 1)), p.corners.max(axis=(0, 1))] for p in parts])
    middles = boxes.mean(axis=1)
    middle = 0.5 * (boxes[:, 0].min(axis=0) + boxes[:, 1].max(axis=0))
    return [part.moved(share * (own - middle)) for part, own in zip(parts, middles, strict=True)]


def _opened(bodies: Mapping[str, tuple[Body, Color]], look: Look) -> dict[str, tuple[Body, Color]]:
    """The bodies less what lies before the plane of the section; those that lie there wholly are left out."""
    assert look.section is not None
    bounds = np.array([body.bounds for body, _ in bodies.values()])
    low, high = bounds[:, 0].min(axis=0), bounds[:, 1].max(axis=0)
    plane = _plane(look.section, low, high)
    towards, _ = sight(look.view)
    normal = np.array(plane.normal)
    if towards @ normal < -1e-9:
        normal = -normal
    middle = 0.5 * (low + high)
    foot = middle - ((middle - np.array(plane.origin)) @ normal) * normal
    front = Plane(tuple(foot.tolist()), tuple(normal.tolist()))
    found = {}
    for name, (body, color) in bodies.items():
        left = combined(body, half_space(body, front, 1.0, SECTION), "cut")
        if left is not None:
            found[name] = (left, color)
    if not found:
        raise ExchangeError(f"a section at {look.section} leaves nothing to see")
    return found


def _plane(section: Section, low: FloatArray, high: FloatArray) -> Plane:
    if isinstance(section, Plane):
        return section
    try:
        letter, equals, value = section.partition("=")
        k = AXES.index(letter.strip().lower())
        place = float(value) if equals else float(0.5 * (low[k] + high[k]))
    except (AttributeError, ValueError):
        raise ExchangeError(
            f'a section is a Plane, or "x", "y=12": across an axis; got {shown_value(section)}'
        ) from None
    normal = [0.0, 0.0, 0.0]
    normal[k] = 1.0
    origin = (0.5 * (low + high)).tolist()
    origin[k] = place
    return Plane(tuple(origin), tuple(normal))
