"""`Job`: the recording layer. Each verb names its step, calls a core function and keeps the result."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import partial
from typing import TYPE_CHECKING, Literal, cast

from ..errors import ModellingError
from ..gate import gated, is_list, is_number
from ..geometry.placement import XY, Axis
from ..hints import Hinting
from ..modelling import verbs
from ..modelling.through import THROUGH, Depth, Through
from ..rules import RULES
from ..topology.selection import single
from .recorder import Recorder, naming_step
from .step_cache import keyed
from .steps import Step

if TYPE_CHECKING:
    from ..modelling.blend.fillet import Edges
    from ..modelling.local.shell import Faces
    from ..modelling.loft_ends import Leaving
    from ..modelling.paths import PathLike
    from ..modelling.profile import Profile
    from ..modelling.references import AxisLike, DirectionLike, PlaneLike
    from ..modelling.thread import ThreadStart
    from ..sketch.entities import Line
    from ..sketch.sketch import Sketch
    from ..topology.body import Body, BodyFace
    from ..topology.selection import Selection


@gated(RULES, ModellingError, step="name")
@keyed
class Job(Hinting, Recorder):
    """Builds bodies step by step in one length unit. Every verb takes the step's name first.

    unit : "mm", "cm", "m" or "in". strict : refuse to build on a sketch that is not fully defined.
    params : the parameters that formulas in dimensions read, and `kinds` what they are (see `dimensions`);
    a design passes its own. watch : is with each step while it is made, given its name and verb.
    until : the step after which the job ends. cache : of steps that need not be made again.
    """

    # ------------------------------------------------------------------ sketches and profiles

    def sketch(self, name: str, on: PlaneLike = XY) -> Sketch:
        """An empty sketch on a plane or a planar face. Draw, constrain, then build on it.

        On a face: the origin is the foot of the design's origin, y points up (along Z as far as it
        goes) and the normal out of the body; on a level face x is +X. In the sketch's dimensions a text
        is a quantity ("3/16 in") or a formula over the parameters ("=pipe/2").
        """
        self._new_name(name, True)
        with naming_step(name):
            plane = verbs.plane_of(on, "a sketch lies on")
        backdrop = partial(verbs.backdrop_of, on, self.unit)
        from ..sketch.sketch import Sketch

        sketch = Sketch(plane, name=name, unit=self.unit, reader=self._read, backdrop=backdrop)
        self._steps.append(Step(name, "sketch", "", sketch=sketch))
        return sketch

    def extrude(
        self,
        name: str,
        profile: Profile,
        depth: float | None = None,
        *,
        both: bool = False,
        back: float = 0.0,
        taper: float = 0.0,
        scale: float = 1.0,
        twist: float = 0.0,
        up_to: PlaneLike | None = None,
    ) -> Body:
        """The profile moved `depth` along the normal of its plane.

        profile : a sketch (its default profile), a region, or a planar face (outwards from it).
        both : half of the depth on each side. back : so much is added behind the plane.
        taper : degrees by which the walls lean, the body narrower away from the plane.
        up_to : a planar face or a plane instead of a depth; the solid ends there.
        Faces: `name/start`, `name/end`, `name/side:item`.
        Raises SketchError or ModellingError naming the step.
        """
        if (depth is None) == (up_to is None):
            raise ModellingError("extrude takes a depth or up_to a face, and only one of them", step=name)
        detail = f"depth {depth:g}" if depth is not None else f"up to {single(up_to)!r}"
        detail += ", half on each side" if both else ""
        detail += f", {back:g} behind" if back else ""
        detail += f", taper {taper:g} degrees" if taper else ""

        def build(warnings: list[str]) -> Body:
            regions = self._regions(profile, warnings)
            if up_to is not None:
                return verbs.extrude_to(regions, up_to, back=back, taper=taper, step=name)
            assert depth is not None
            return verbs.extrude(
                regions, depth, both=both, back=back, taper=taper, scale=scale, twist=twist, step=name
            )

        return self._record(name, "extrude", detail, build)

    def revolve(self, name: str, profile: Profile, axis: AxisLike | Line, angle: float = 360.0) -> Body:
        """The profile turned about an axis in its plane: an `Axis`, a line of the sketch, an edge, or that of
        a round face.

        Faces: `name/side:item`, and for part of a turn `name/start` and `name/end`.
        """
        return self._record(
            name,
            "revolve",
            f"{angle:g} degrees",
            lambda warnings: verbs.revolve(
                self._regions(profile, warnings), self._axis(axis, profile), angle, step=name
            ),
        )

    def sweep(
        self,
        name: str,
        profile: Profile,
        path: PathLike,
        *,
        corner: str = "mitre",
        up: DirectionLike | None = None,
        twist: float = 0.0,
    ) -> Body:
        """The profile carried along a path: a route, a helix, a sketch of one chain, or connected edges.

        Faces: `name/start`, `name/end` (not of a closed path) and `name/side:item`. See `lathwick.sweep`.
        """
        with naming_step(name):
            length = verbs.path(path).length
        return self._record(
            name,
            "sweep",
            f"{length:g} {self.unit}",
            lambda warnings: verbs.sweep(
                self._regions(profile, warnings), path, corner=corner, up=up, twist=twist, step=name
            ),
        )

    def loft(
        self,
        name: str,
        profiles: Iterable[Profile | Sequence[float]],
        *,
        ruled: bool = False,
        closed: bool = False,
        tangent: Leaving | tuple[Leaving, Leaving] = None,
    ) -> Body:
        """The solid between sections, smooth through all of them or straight from one to the next; the first
        or last may be a point. closed : on from the last to the first. tangent : "square" where the walls
        leave the ends square to these.

        Faces: `name/start`, `name/end` (not at a point) and `name/side:item`. See `lathwick.loft`.
        """
        sections = list(profiles) if is_list(profiles) else [profiles]

        def build(warnings: list[str]) -> Body:
            flat = [one if verbs.is_point(one) else self._regions(one, warnings) for one in sections]  # type: ignore[arg-type]
            return verbs.loft(
                flat, ruled=ruled, closed=closed, tangent=tangent, step=name, warn=warnings.append
            )

        return self._record(name, "loft", f"{len(sections)} sections", build)

    def _axis(self, axis: AxisLike | Line, profile: Profile) -> Axis:
        from ..sketch.entities import Line
        from ..sketch.sketch import Sketch

        if isinstance(axis, Line):
            drawn = [profile] if isinstance(profile, Sketch) else [step.sketch for step in self._steps]
            held = (s for s in drawn if s is not None and any(axis is entity for entity in s.entities))
            plane = next((s.plane for s in held), None)
            if plane is None:
                raise ModellingError(f"the line {axis!r} is none of the sketch that is revolved")
            start, end = (plane.point(*p.position) for p in (axis.start, axis.end))
            return Axis(start, (end[0] - start[0], end[1] - start[1], end[2] - start[2]))
        return verbs.axis_of(axis, "a profile turns about a line of its sketch,")

    # ------------------------------------------------------------------ simple solids

    def box(
        self, name: str, dx: float, dy: float, dz: float, *, on: PlaneLike = XY, center: bool = False
    ) -> Body:
        """A box with its corner at the origin of `on`, or centered on it in all three directions.

        Faces: `name/bottom`, `name/top`, `name/side:front` and right, back, left.
        """
        return self._primitive(name, "box", (dx, dy, dz), on=on, center=center)

    def cylinder(self, name: str, radius: float, height: float, *, on: PlaneLike = XY) -> Body:
        """A cylinder that stands on `on`. Faces: `name/bottom`, `name/top`, `name/side`."""
        return self._primitive(name, "cylinder", (radius, height), on=on)

    def cone(self, name: str, radius1: float, radius2: float, height: float, *, on: PlaneLike = XY) -> Body:
        """A truncated cone that stands on `on`; a radius of 0 makes a tip."""
        return self._primitive(name, "cone", (radius1, radius2, height), on=on)

    def sphere(self, name: str, radius: float, *, on: PlaneLike = XY) -> Body:
        """A sphere about the origin of `on`. One face: `name/side`."""
        return self._primitive(name, "sphere", (radius,), on=on)

    def torus(self, name: str, major: float, minor: float, *, on: PlaneLike = XY) -> Body:
        """A ring about the normal of `on`. One face: `name/side`."""
        return self._primitive(name, "torus", (major, minor), on=on)

    def wedge(self, name: str, dx: float, dy: float, dz: float, top_dx: float, *, on: PlaneLike = XY) -> Body:
        """A box whose length along x is `top_dx` at the top, its left side upright."""
        return self._primitive(name, "wedge", (dx, dy, dz, top_dx), on=on)

    def _primitive(self, name: str, verb: str, sizes: tuple[float, ...], **options: object) -> Body:
        make: Callable[..., Body] = getattr(verbs, verb)
        detail = " x ".join(f"{s:g}" if isinstance(s, (int, float)) else repr(s) for s in sizes)
        return self._record(name, verb, detail, lambda _: make(*sizes, unit=self.unit, step=name, **options))

    # ------------------------------------------------------------------ booleans

    def union(self, name: str, *bodies: Body) -> Body:
        """All bodies as one; bodies that do not touch become lumps of it."""
        return self._record(name, "union", _counted(len(bodies)), lambda _: verbs.union(*bodies), pieces=1)

    def cut(
        self,
        name: str,
        body: Body,
        *tools: Body | Profile | float,
        depth: Depth = THROUGH,
        both: bool = False,
    ) -> Body:
        """A body less others, or less a profile that is moved into it.

        A profile (a sketch, region or planar face) cuts against the normal of its plane, `depth` deep (also
        plainly behind the profile: `cut("slot", body, plan, 3)`) or through all there is; with `both` half of
        the depth to each side. The walls of the cut are called `name/side:item`. A cut that changes nothing
        is a warning on the step.
        """
        from ..topology.body import Body

        last = tools[-1] if len(tools) > 1 and isinstance(depth, Through) else None
        if is_number(last):
            tools, depth = tools[:-1], last
        solids = [t for t in tools if isinstance(t, Body)]
        profiles = cast("list[Profile]", [t for t in tools if not isinstance(t, Body)])
        detail = _counted(len(solids)) if not profiles else f"a profile, depth {_told(depth)}"

        def build(warnings: list[str]) -> Body:
            if solids and not profiles and not isinstance(depth, Through):
                raise ModellingError(f"a depth goes with a profile; bodies are cut whole, got depth {depth}")
            made = [self._cutter(name, body, p, depth, both, warnings) for p in profiles]
            return verbs.cut(body, *solids, *made, warn=warnings.append)

        return self._record(name, "cut", detail, build, pieces=body.lumps)

    def _cutter(
        self, name: str, body: Body, profile: Profile, depth: Depth, both: bool, warnings: list[str]
    ) -> Body:
        regions = self._regions(profile, warnings)
        if isinstance(depth, Through):
            behind, front = verbs.reach_along(body, regions[0].plane)
            return verbs.extrude(regions, front if both else 0.0, back=behind, step=name)
        if isinstance(depth, str):
            raise ModellingError(f'a depth is a number or THROUGH, got "{depth}"')
        if both:
            return verbs.extrude(regions, depth, both=True, step=name)
        return verbs.extrude(regions, 0.0, back=verbs.size(depth, "depth"), step=name)

    def intersect(self, name: str, *bodies: Body) -> Body:
        """What all bodies have in common."""
        return self._record(
            name,
            "intersect",
            _counted(len(bodies)),
            lambda warnings: verbs.intersect(*bodies, warn=warnings.append),
        )

    def hole(
        self,
        name: str,
        body: Body,
        on: BodyFace | Selection[BodyFace],
        at: Iterable[float] | Iterable[Iterable[float]],
        diameter: float,
        depth: Depth = THROUGH,
        *,
        counterbore: tuple[float, float] | None = None,
        countersink: tuple[float, float] | None = None,
    ) -> Body:
        """Drill a planar or cylindrical face; see `lathwick.hole`.

        Faces: `name/side`, `name/bottom`, `name/seat`, `name/counterbore`, `name/countersink`.
        """
        return self._record(
            name,
            "hole",
            f"diameter {diameter:g}, depth {_told(depth)}",
            lambda warnings: verbs.hole(
                body, on, at, diameter, depth,
                counterbore=counterbore, countersink=countersink, step=name, warn=warnings.append,
            ),
        )  # fmt: skip

    def thread(
        self,
        name: str,
        body: Body,
        face: BodyFace | Selection[BodyFace],
        pitch: float,
        length: float | None = None,
        *,
        left: bool = False,
        profile: Profile | None = None,
        play: float = 0.0,
        run_out: float = 0.5,
        start: ThreadStart = None,
    ) -> Body:
        """Cut a thread of ISO 68-1, or of a profile, into a shaft or a hole; see `lathwick.thread`.

        Faces: `name/side:root`, `name/side:low`, `name/side:high`, or after the items of the profile.
        """
        detail = f"pitch {pitch:g}" + (f", {length:g} long" if length is not None else "")
        return self._record(
            name,
            "thread",
            detail + (", left-handed" if left else ""),
            lambda warnings: verbs.thread(
                body, face, pitch, length, left=left, profile=profile, play=play, run_out=run_out,
                start=start, step=name, warn=warnings.append,
            ),
        )  # fmt: skip

    def perforate(
        self,
        name: str,
        body: Body,
        face: BodyFace | Selection[BodyFace],
        around: int,
        along: int,
        openness: float,
        *,
        cell: str | Profile = "hexagon",
        border: float = 0.0,
    ) -> Body:
        """Cut openings all over a wall, through that wall only; see `lathwick.perforate`.

        openness : the open share of the face inside the borders. Faces: `name/side:line1` and so on.
        """
        shape = cell if isinstance(cell, str) else "drawn"
        return self._record(
            name,
            "perforate",
            f"{around} x {along} cells ({shape}), {openness:g} open",
            lambda _: verbs.perforate(
                body, face, around, along, openness, cell=cell, border=border, step=name
            ),
        )

    def thicken(
        self, name: str, faces: BodyFace | Selection[BodyFace] | list[BodyFace], thickness: float
    ) -> Body:
        """The plate between faces of a body and their offset; see `lathwick.thicken`. Its other side is
        `name/inside`."""
        return self._record(
            name, "thicken", f"by {thickness:g}", lambda _: verbs.thicken(faces, thickness, step=name)
        )

    def rib(
        self,
        name: str,
        body: Body,
        sketch: Sketch,
        thickness: float,
        *,
        draft: float = 0.0,
        side: Literal["left", "right"] | None = None,
    ) -> Body:
        """Grow plates from the open curves of a sketch to the next walls; see `lathwick.rib`. Faces:
        `name/side:item`, `name/start`, `name/end`."""
        return self._record(
            name,
            "rib",
            f"{thickness:g} thick" + (f", {draft:g} degrees" if draft else ""),
            lambda _: verbs.rib(body, sketch, thickness, draft=draft, side=side, step=name),
        )

    # ------------------------------------------------------------------ details

    def fillet(
        self,
        name: str,
        body: Body,
        edges: Edges | Sequence[Edges],
        radius: float | Sequence[float],
        *,
        follow: bool = True,
        skip: bool = False,
    ) -> Body:
        """Round edges by a ball of the given radius; see `lathwick.fillet`. Faces: `name/round`,
        `name/corner`. What `skip` leaves out is a warning on the step."""
        return self._record(
            name,
            "fillet",
            f"radius {_told(radius)}",
            lambda warnings: verbs.fillet(
                body, edges, radius, follow=follow, skip=skip, step=name, warn=warnings.append
            ),
            chosen=edges,
        )

    def chamfer(
        self,
        name: str,
        body: Body,
        edges: Edges | Sequence[Edges],
        size: float | Sequence[float],
        size2: float | None = None,
        angle: float | None = None,
        *,
        facet: bool = False,
        follow: bool = True,
        skip: bool = False,
    ) -> Body:
        """Bevel edges: equal, with two sizes, or with a size and an angle in degrees; or several selections,
        with a size for each; see `lathwick.chamfer`. Faces: `name/bevel`, `name/corner`."""
        detail = f"size {_told(size)}"
        if size2 is not None:
            detail += f" x {_told(size2)}"
        if angle is not None:
            detail += f", {_told(angle)} degrees"
        made = self._record(
            name,
            "chamfer",
            detail,
            lambda warnings: verbs.chamfer(
                body,
                edges,
                size,
                size2,
                angle,
                facet=facet,
                follow=follow,
                skip=skip,
                step=name,
                warn=warnings.append,
            ),
            chosen=edges,
        )
        return made

    def draft(
        self,
        name: str,
        body: Body,
        faces: Faces,
        angle: float | tuple[float, float],
        neutral: PlaneLike,
        split: bool = False,
    ) -> Body:
        """Lean walls by an angle in degrees about a neutral plane or a planar face; see `lathwick.draft`."""
        return self._record(
            name,
            "draft",
            f"{_told(angle)} degrees",
            lambda _: verbs.draft(body, faces, angle, neutral, split, step=name),
            chosen=faces,
        )

    def shell(
        self,
        name: str,
        body: Body,
        thickness: float,
        open: Faces = (),
        *,
        other: Sequence[tuple[Faces, float]] = (),
    ) -> Body:
        """Hollow a body out to walls of a thickness, without walls at the open faces; see `lathwick.shell`.
        Inner faces: `name/inside`."""
        return self._record(
            name,
            "shell",
            f"thickness {_told(thickness)}",
            lambda _: verbs.shell(body, thickness, open, other=other, step=name),
            chosen=open,
        )

    def split(self, name: str, body: Body, plane: PlaneLike) -> Body:
        """A body divided by a plane into lumps; `separate` gives them one by one. All faces of those in front
        of the plane answer to `name/above` besides, the others to `name/below`."""
        return self._record(name, "split", "", lambda _: verbs.split(body, plane, name), divides=True)

    def separate(self, body: Body) -> tuple[Body, ...]:
        """The lumps of a body, each as a body of its own."""
        return verbs.separate(body)

    # ------------------------------------------------------------------ copies

    def mirror(self, name: str, body: Body, plane: PlaneLike, keep: bool = True) -> Body:
        """The body with its mirror image in a plane, or the image alone; faces of the image answer to
        `name/role` besides."""
        return self._record(name, "mirror", "", lambda _: verbs.mirror(body, plane, keep, step=name))

    def linear_pattern(
        self,
        name: str,
        body: Body,
        count: int,
        spacing: float,
        along: DirectionLike,
        *,
        both: bool = False,
        count2: int = 1,
        spacing2: float | None = None,
        along2: DirectionLike | None = None,
    ) -> Body:
        """`count` copies in a row, on both sides of the first with `both`; with `along2` as many rows as
        `count2`, `spacing2` apart. Copies that touch are united. Faces of copies answer to `name/role`
        besides, and to `name.K/role` with the number of the copy."""
        detail = f"{count} x {_told(spacing)}" + (f", {count2} rows" if along2 is not None else "")

        def build(_: list[str]) -> Body:
            return verbs.linear_pattern(
                body,
                count,
                spacing,
                along,
                both=both,
                count2=count2,
                spacing2=spacing2,
                along2=along2,
                step=name,
            )

        return self._record(name, "linear_pattern", detail, build)

    def circular_pattern(
        self, name: str, body: Body, count: int, axis: AxisLike, angle: float = 360.0
    ) -> Body:
        """`count` copies about an axis, over a whole turn or up to `angle` degrees."""
        return self._record(
            name,
            "circular_pattern",
            f"{count} over {angle:g} degrees",
            lambda _: verbs.circular_pattern(body, count, axis, angle, step=name),
        )

    def path_pattern(self, name: str, body: Body, path: PathLike, count: int) -> Body:
        """`count` copies spread evenly along a path, turned as it turns; the body stands at its start."""
        return self._record(
            name,
            "path_pattern",
            f"{count} along a path",
            lambda _: verbs.path_pattern(body, path, count, step=name),
        )

    # ------------------------------------------------------------------ placing

    def move(self, name: str, body: Body, dx: float = 0.0, dy: float = 0.0, dz: float = 0.0) -> Body:
        """The body shifted."""
        return self._record(name, "move", f"({dx:g}, {dy:g}, {dz:g})", lambda _: verbs.move(body, dx, dy, dz))

    def turn(self, name: str, body: Body, angle: float, axis: AxisLike) -> Body:
        """The body turned by `angle` degrees about an axis."""
        return self._record(name, "turn", f"{angle:g} degrees", lambda _: verbs.turn(body, angle, axis))

    def place(self, name: str, body: Body, plane: PlaneLike) -> Body:
        """The body carried with the XY plane to another plane."""
        return self._record(name, "place", "", lambda _: verbs.place(body, plane))

    def scale(self, name: str, body: Body, factor: float) -> Body:
        """The body with all lengths times `factor`, about the origin."""
        return self._record(name, "scale", f"{factor:g}", lambda _: verbs.scale(body, factor))


def _told(size: object) -> str:
    """A size as a step tells it, or one for each selection."""
    if isinstance(size, (list, tuple)):
        return ", ".join(_told(s) for s in size)
    return f"{size:g}" if isinstance(size, (int, float)) else str(size)


def _counted(bodies: int) -> str:
    return "1 body" if bodies == 1 else f"{bodies} bodies"
