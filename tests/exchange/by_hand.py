"""STEP files of small solids written by hand, row by row: vertices, edges and faces by short names."""

from __future__ import annotations

from collections.abc import Sequence

Point = Sequence[float]

X, Y, Z = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)
ORIGIN, DOWN, BACK = (0.0, 0.0, 0.0), (0.0, 0.0, -1.0), (0.0, -1.0, 0.0)

HEAD = """ISO-10303-21;
HEADER;
FILE_DESCRIPTION((''),'2;1');
FILE_NAME('t','2026-01-01T00:00:00',(''),(''),'','','');
FILE_SCHEMA(('CONFIG_CONTROL_DESIGN'));
ENDSEC;
DATA;
"""
TAIL = "ENDSEC;\nEND-ISO-10303-21;\n"


class ByHand:
    """The rows of one solid."""

    def __init__(self) -> None:
        self._rows: list[str] = []
        self._vertices: dict[str, str] = {}
        self._edges: dict[str, str] = {}
        self._faces: list[str] = []

    def add(self, row: str) -> str:
        """Its number, as a reference."""
        self._rows.append(row)
        return f"#{len(self._rows)}"

    def point(self, p: Point) -> str:
        return self.add(f"CARTESIAN_POINT('',({_three(p)}))")

    def way(self, p: Point) -> str:
        return self.add(f"DIRECTION('',({_three(p)}))")

    def frame(self, origin: Point, z: Point = Z, x: Point = X) -> str:
        return self.add(f"AXIS2_PLACEMENT_3D('',{self.point(origin)},{self.way(z)},{self.way(x)})")

    def circle(self, center: Point, radius: float, z: Point = Z, x: Point = X) -> str:
        return self.add(f"CIRCLE('',{self.frame(center, z, x)},{float(radius)!r})")

    def line(self, start: Point, way: Point) -> str:
        vector = self.add(f"VECTOR('',{self.way(way)},1.)")
        return self.add(f"LINE('',{self.point(start)},{vector})")

    def turned(self, curve: str) -> str:
        """A curve turned about Z."""
        axis = self.add(f"AXIS1_PLACEMENT('',{self.point(ORIGIN)},{self.way(Z)})")
        return self.add(f"SURFACE_OF_REVOLUTION('',{curve},{axis})")

    def image(self, kind: str, parent: str, origin: Point, y: Point = Y, scale: float = 1.0) -> str:
        """A replica of a curve or a surface: times `scale` and moved; mirrored where y is the other way."""
        ways = ",".join(self.way(p) for p in (X, y))
        operator = self.add(
            f"CARTESIAN_TRANSFORMATION_OPERATOR_3D('','',$,{ways},{self.point(origin)},{float(scale)!r},"
            f"{self.way(Z)})"
        )
        return self.add(f"{kind}_REPLICA('',{parent},{operator})")

    def plane(self, origin: Point, z: Point = Z) -> str:
        return self.add(f"PLANE('',{self.frame(origin, z)})")

    def vertex(self, name: str, place: Point) -> str:
        self._vertices[name] = self.add(f"VERTEX_POINT('',{self.point(place)})")
        return self._vertices[name]

    def edge(self, name: str, start: str, end: str, curve: str, sense: str = "T") -> str:
        ends = f"{self._vertices[start]},{self._vertices[end]}"
        self._edges[name] = self.add(f"EDGE_CURVE('',{ends},{curve},.{sense}.)")
        return self._edges[name]

    def piece(self, name: str, start: str, end: str, whole: str) -> None:
        """A piece of another edge."""
        ends = f"{self._vertices[start]},{self._vertices[end]}"
        self._edges[name] = self.add(f"SUBEDGE('',{ends},{self._edges[whole]})")

    def face(self, surface: str, *loops: str, sense: str = "T") -> None:
        """loops : edges by name with + or -, or @ and a vertex; the first is the outer one."""
        kinds = ["FACE_OUTER_BOUND", *["FACE_BOUND"] * len(loops)]
        bounds = [
            self.add(f"{kind}('',{self._loop(loop)},.T.)") for kind, loop in zip(kinds, loops, strict=False)
        ]
        self._faces.append(self.add(f"ADVANCED_FACE('',({','.join(bounds)}),{surface},.{sense}.)"))

    def _loop(self, loop: str) -> str:
        if loop.startswith("@"):
            return self.add(f"VERTEX_LOOP('',{self._vertices[loop[1:]]})")
        uses = [
            self.add(f"ORIENTED_EDGE('',*,*,{self._edges[use[:-1]]},.{'T' if use[-1] == '+' else 'F'}.)")
            for use in loop.split()
        ]
        return self.add(f"EDGE_LOOP('',({','.join(uses)}))")

    def text(self, solids: int = 1) -> str:
        """The file, in millimetres; of several solids all have the same faces. Made once."""
        shells = [self.add(f"CLOSED_SHELL('',({','.join(self._faces)}))") for _ in range(solids)]
        solid = ",".join(self.add(f"MANIFOLD_SOLID_BREP('solid',{shell})") for shell in shells)
        unit = self.add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))")
        context = self.add(
            f"(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNIT_ASSIGNED_CONTEXT(({unit}))"
            "REPRESENTATION_CONTEXT('',''))"
        )
        self.add(f"ADVANCED_BREP_SHAPE_REPRESENTATION('',({self.frame(ORIGIN)},{solid}),{context})")
        return HEAD + "".join(f"#{k}={row};\n" for k, row in enumerate(self._rows, 1)) + TAIL


def _three(p: Point) -> str:
    return ",".join(repr(float(c)) for c in p)
