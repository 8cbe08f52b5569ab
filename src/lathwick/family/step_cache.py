"""Steps whose inputs have not changed are taken from a cache.

A step is keyed by the content of all it is given: its name and verb, numbers and texts as they are, bodies
by the keys of the steps that made them, faces and edges by their places in these, sketches by their solved
curves. What cannot be keyed is made anew. Bodies are immutable, so that a kept one is as good as a new one.
"""

from __future__ import annotations

import hashlib
import inspect
import pickle
from collections import OrderedDict
from collections.abc import Callable, Iterable, Mapping
from functools import wraps
from typing import TYPE_CHECKING, Any, TypeVar

from ..errors import LathwickError
from .step_store import current_store

if TYPE_CHECKING:
    from ..sketch.sketch import Sketch
    from ..topology.body import Body

S = TypeVar("S", bound=type)
KEY = "content_key"
MOST_FACES = 20_000
"""Faces of all bodies in a cache together; the steps that were used longest ago are dropped first."""

Kept = tuple["Body", tuple[str, ...]]
"""A body, and the warnings of the step that made it."""


class StepCache:
    """Steps by key, those used last at the end."""

    def __init__(self) -> None:
        self._steps: OrderedDict[str, Kept] = OrderedDict()
        self._faces = 0
        self.hits = 0

    def __len__(self) -> int:
        return len(self._steps)

    def find(self, key: str) -> Kept | None:
        """What a step of this key made, as it is kept here or on disk; None if it is not."""
        found = self._steps.get(key)
        if found is not None:
            self._steps.move_to_end(key)
            self.hits += 1
            return found
        store = current_store()
        found = None if store is None else store.find(key)
        if found is not None:
            self._keep_here(key, *found)
            self.hits += 1
        return found

    def keep(self, key: str, body: Body, warnings: tuple[str, ...], seconds: float) -> None:
        """Keep a step that took so long, here and on disk where that was asked for."""
        self._keep_here(key, body, warnings)
        store = current_store()
        if store is not None:
            store.keep(key, body, warnings, seconds)

    def _keep_here(self, key: str, body: Body, warnings: tuple[str, ...]) -> None:
        """Keep a step, and drop others if there are too many faces."""
        give_key(body, key)
        self._steps[key] = (body, warnings)
        self._faces += len(body.brep_faces)
        while self._faces > MOST_FACES and len(self._steps) > 1:
            _, (old, _) = self._steps.popitem(last=False)
            self._faces -= len(old.brep_faces)

    def __reduce__(self) -> tuple[type[StepCache], tuple[()]]:
        return (StepCache, ())  # in another process it begins empty


class Unkeyed(Exception):
    """A value has no content that could be told from another's."""


def keyed(cls: S) -> S:
    """The class with a key made for each call of its public verbs, in `_pending`, before the verb runs."""
    for name, verb in inspect.getmembers(cls, inspect.isfunction):
        if not name.startswith("_") and verb.__qualname__.startswith(cls.__name__ + "."):
            setattr(cls, name, _with_key(verb))
    return cls


def _with_key(verb: Callable[..., Any]) -> Callable[..., Any]:
    signature = inspect.signature(verb)

    @wraps(verb)
    def call(self: Any, *args: Any, **kwargs: Any) -> Any:
        self._given = [one for one in (*args, *kwargs.values()) if hasattr(one, "brep_faces")]
        if self._cache is not None:
            try:
                given = signature.bind(self, *args, **kwargs).arguments
                given.pop("self", None)
                self._pending = key_of((verb.__name__, self.unit, self.strict, sorted(given.items())))
            except (Unkeyed, TypeError, LathwickError):  # what is wrong with a sketch, the verb will tell
                self._pending = ""
        return verb(self, *args, **kwargs)

    return call


def key_of(content: Any) -> str:
    """A digest of a content. Raises Unkeyed."""
    digest = hashlib.sha256()
    _feed(content, digest.update)
    return digest.hexdigest()


def give_key(body: Body, key: str) -> None:
    """Let a body be known by the key of the step that made it."""
    body.__dict__.setdefault(KEY, key)


def _feed(value: Any, write: Callable[[bytes], object]) -> None:
    """Write the content of a value, so that different contents are different bytes."""
    from ..sketch.entities import Entity
    from ..sketch.sketch import Sketch
    from ..topology.body import Body, BodyEdge, BodyFace, BodyVertex
    from ..topology.selection import Selection

    if value is None or isinstance(value, (bool, int, float, str)):
        write(f"{type(value).__name__}:{value!r};".encode("utf-8", "surrogatepass"))
    elif isinstance(value, (tuple, list, Selection)):
        items = list(value)
        write(f"{len(items)}[".encode())
        for item in items:
            _feed(item, write)
        write(b"]")
    elif isinstance(value, Mapping):
        _feed(sorted(value.items()), write)
    elif isinstance(value, Body):
        write(f"body:{_key_of_body(value)};".encode())
    elif isinstance(value, (BodyFace, BodyEdge, BodyVertex)):
        write(f"{value.sort}:{_key_of_body(value.body)}:{_number(value)};".encode())
    elif isinstance(value, Sketch):
        _feed_sketch(value, write)
    elif isinstance(value, Entity):
        numbers = [value._variables.values[i] for i in value.own_variables()]
        write(f"{value.kind}:{numbers};".encode())
    else:
        try:
            write(pickle.dumps(value))
        except Exception:  # whatever a value of the user's may raise
            raise Unkeyed from None


def _key_of_body(body: Body) -> str:
    key = body.__dict__.get(KEY)
    if not isinstance(key, str):
        raise Unkeyed
    return key


def _number(item: Any) -> int:
    """The place of a face, an edge or a vertex in its body."""
    body, parts = item.body, item.sort
    table = body.__dict__.setdefault("_numbers", {})
    if parts not in table:
        every: Iterable[object] = body.brep_faces
        if parts == "edge":
            every = body.faces_of_edge
        elif parts == "vertex":
            every = [vertex.brep for vertex in body.vertices()]
        table[parts] = {one: k for k, one in enumerate(every)}
    found = table[parts].get(item.brep)
    if found is None:
        raise Unkeyed
    return int(found)


def _feed_sketch(sketch: Sketch, write: Callable[[bytes], object]) -> None:
    """The curves of a sketch, solved, as profiles and as paths, and what solving it says."""
    from ..sketch.pieces import pieces_of
    from ..sketch.wholes import profile_pieces

    report = sketch.settle() or sketch.solve()
    pieces = [*profile_pieces(sketch.entities), *pieces_of(sketch.entities)]
    named = [(type(p).__name__, str(p.name), getattr(p.name, "also", ())) for p in pieces]
    state = (sketch.name, sketch.unit, sketch.plane, str(report), report.freedom, named)
    try:
        write(pickle.dumps((state, pieces)))
    except Exception:
        raise Unkeyed from None
