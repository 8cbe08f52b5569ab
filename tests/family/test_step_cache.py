"""Steps from a cache are the steps that would be made: same bytes, whatever was changed before."""

import pickle

import pytest

import lathwick as lw
from lathwick.family.step_cache import StepCache

from ..cli.test_examples import example

CHANGES = {
    "bracket": [{}, {"bolt": 4}, {"reach": 70}, {"width": 30}, {}],
    "pipe_saddle": [{}, {"length": 30}, {"wall": 7}, {}],
    "strap_link": [{}, {"soft": 3}, {"bore": 5}, {}],
    "conduit": [{}, {"kind": "straight"}, {"wall": 4}, {}],
    "tag_plate": [{"site": "I"}, {"site": "T"}, {"site": "I", "deep": 1}, {"site": "I"}],
    "logger_standoff": [{}, {"thread": "M5"}, {"window": 2}, {"window": 9, "tall": 6}, {}],
    "pawl_cam": [{}, {"way": "direct"}, {"piece": "follower"}, {}],
}


@pytest.mark.parametrize("name", sorted(CHANGES))
def test_with_and_without_a_cache(name, tmp_path, monkeypatch):
    """The same parts in the same bytes, names, warnings and notes included."""
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "1700000000")
    module = example(name)
    design = getattr(module, name)
    files = []
    for cache in (StepCache(), None):
        design.cache = cache
        for k, values in enumerate(CHANGES[name]):
            part = design(**values)
            path = tmp_path / f"{len(files)}.step"
            part.save(path)
            names = [face.names for face in part.body.faces()]
            files.append((k, path.read_bytes(), names, part.messages, [s.detail for s in part.steps]))
        if cache is not None:
            assert cache.hits > 0
    half = len(files) // 2
    assert files[:half] == files[half:]


@lw.design()
def plate(
    job: lw.Job,
    wide: lw.Length = 40.0,
    bore: lw.Length = 6.0,
    soft: lw.Length = 2.0,
    turned: lw.Angle = 0.0,
):
    outline = job.sketch("outline", on=lw.XY.tilted(turned, "x"))
    outline.rectangle(wide, 20)
    block = job.extrude("block", outline, 5)
    drilled = job.hole("bore", block, block.face("block/end"), (0, 0), bore)
    return job.fillet("soft", drilled, drilled.edges("block/end").convex().parallel(lw.X), soft)


def test_only_what_changed_is_made():
    """A changed last step takes the others; a changed sketch none; a changed place neither."""
    plate.cache = StepCache()
    for values, hits in (
        ({}, 0),
        ({"soft": 1}, 2),
        ({"bore": 5}, 1),
        ({"wide": 41}, 0),
        ({"turned": 5}, 0),
        ({}, 3),
    ):
        plate.cache.hits = 0
        plate(**values)
        assert plate.cache.hits == hits


def test_a_cache_is_bounded(monkeypatch):
    monkeypatch.setattr("lathwick.family.step_cache.MOST_FACES", 40)
    plate.cache = StepCache()
    for k in range(12):
        plate(soft=1 + 0.1 * k)
    assert len(plate.cache) <= 6


def test_what_cannot_be_keyed_is_made_anew():
    """A body from outside the job has no history; a box of another name is another step."""
    cache = StepCache()
    volumes = []
    for size in (1.0, 2.0):
        job = lw.Job(cache=cache)
        volumes.append(job.cut("cut", lw.box(9, 9, 9), lw.box(size, size, size)).volume)
    assert volumes == [pytest.approx(728), pytest.approx(721)]
    job = lw.Job(cache=cache)
    assert [job.box(name, 1, 1, 1).faces()[0].step for name in ("a", "b")] == ["a", "b"]
    assert cache.hits == 0


@lw.design()
def torn(job: lw.Job, size: lw.Length = 5.0):
    sk = job.sketch("plan")
    disc = sk.circle((0, 0), 5)
    sk.radius(disc, 5, name="five")
    sk.radius(disc, size, name="size")
    return job.extrude("disc", sk, 3)


def test_a_refusal_names_its_step_with_a_cache_too():
    """What is wrong with a sketch is told by the verb, not while its key is made."""
    torn(size=5)
    with pytest.raises(
        lw.SketchError, match=r'step "disc": sketch "plan": five = 5 and size = 6 cannot hold'
    ):
        torn(size=6)


def test_parts_that_went_through_another_process_are_known_still():
    """The places of faces in a body are found again after it was packed and unpacked."""
    cache = StepCache()
    job = lw.Job(cache=cache)
    box = job.box("box", 9, 9, 9)
    first = job.fillet("soft", box, box.edges("box/top"), 1)
    copy = pickle.loads(pickle.dumps(box))
    again = lw.Job(cache=cache)
    assert again.fillet("soft", copy, copy.edges("box/top"), 1) is first
    assert again.fillet("other", copy, copy.edges("box/bottom"), 1).volume == pytest.approx(first.volume)
    assert cache.hits == 1


@pytest.fixture
def store(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    yield lw.cache(tmp_path / "steps")
    lw.cache(None)


def test_steps_on_disk(store, tmp_path):
    """Another run finds what has not changed, and makes the same part of it."""
    plate.cache = StepCache()
    made = plate(soft=1.5)
    assert len(store) > 0
    for values, hits in (({"soft": 1.5}, 3), ({"soft": 1.0}, 2)):
        plate.cache = StepCache()
        again = plate(**values)
        assert plate.cache.hits >= hits - 1
        plate.cache = None
        plain = plate(**values)
        assert again.volume == plain.volume
        assert [f.names for f in again.body.faces()] == [f.names for f in plain.body.faces()]
        plate.cache = StepCache()
    assert plate(soft=1.5).volume == made.volume


def test_a_folder_of_steps_from_elsewhere_is_not_trusted(store, tmp_path, monkeypatch):
    """Entries that were not written with the user's own key are made anew, never read."""
    plate.cache = StepCache()
    expected = plate(soft=1.25).volume
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "other"))
    lw.cache(tmp_path / "steps")
    monkeypatch.setattr(pickle, "loads", lambda *_: pytest.fail("an entry of a stranger was read"))
    plate.cache = StepCache()
    assert plate(soft=1.25).volume == expected and plate.cache.hits == 0


def test_a_place_that_cannot_hold_steps_is_refused(tmp_path):
    file = tmp_path / "file"
    file.write_text("no folder")
    with pytest.raises(lw.ExchangeError, match="cannot hold a cache of steps"):
        lw.cache(file)
