"""The page and saved views, driven as a colleague would: by mouse and by keyboard, in a real browser."""

from __future__ import annotations

import http.client
import io
import re
import textwrap
import time
import zipfile
from contextlib import closing
from urllib.parse import urlsplit

import pytest

import lathwick as lw

from ..browser import launched, opened, served, with_browser

pytestmark = [with_browser, pytest.mark.xdist_group("page")]

SCRIPT = '''
    import time
    import lathwick as lw

    @lw.design()
    def block(
        job: lw.Job,
        wide: lw.Length = lw.param(40.0, low=10, high=90, note="along x"),
        deep: lw.Length = lw.param("=wide/2"),
        shape: lw.Text = lw.param("round", choices=("round", "square")),
        hollow: lw.Flag = False,
        wait: lw.Number = 0.0,
    ):
        """A block for tests."""
        time.sleep(wait)
        job.require(deep <= wide, "the block is deeper than wide")
        body = job.box("block", wide, deep, 10)
        if shape == "round":
            body = job.fillet("soft", body, body.edges("block/side").convex().parallel(lw.Z), 3)
        if hollow:
            body = job.shell("hollow", body, 1, open=body.face("block/top"))
        job.note("room", wide * deep, at=(0, 0, 10), digits=1)
        return lw.Part(body, material=lw.Material("steel", "7.85 g/cm3"))
'''
DIRECTION = (
    "window.part.view.camera.position.clone().sub(window.part.view.controls.target).normalize().toArray()"
)
ROUND = (4 - 3.141592653589793) * 9 * 10  # what four rounds of radius 3, 10 tall, take away


def written(folder):
    path = folder / "block.py"
    path.write_text(textwrap.dedent(SCRIPT))
    return path


@pytest.fixture(scope="module")
def browser():
    with launched() as found:
        yield found


@pytest.fixture(scope="module")
def address(tmp_path_factory):
    """That of the page of a script which no test changes."""
    with served(written(tmp_path_factory.mktemp("page"))) as found:
        yield found


@pytest.fixture(scope="module")
def tab(browser):
    """A page that tests one after the other load anew."""
    with opened(browser) as found:
        yield found


@pytest.fixture(scope="module")
def served_script(tmp_path_factory):
    """A script that tests change, and the address of its page."""
    path = written(tmp_path_factory.mktemp("own"))
    with served(path) as found:
        yield path, found


@pytest.fixture
def script(served_script):
    """A script that the test may change: as it was at first, without presets."""
    path, _ = served_script
    path.with_name("block.presets.toml").unlink(missing_ok=True)
    return written(path.parent)


class Desk:
    """What a user sees and does on a page."""

    def __init__(self, page):
        self.page = page
        self.part = page.frame_locator("iframe")

    def open(self, address):
        self.page.goto(address)
        self.part.locator("#told h1").filter(has_text=re.compile(".+")).wait_for(timeout=120_000)
        return self

    def field(self, name):
        return self.page.get_by_label(name, exact=False).first

    def type(self, name, text):
        self.field(name).fill(text)

    def volume(self, expected):
        """Wait until the part that is shown has a volume, to the six digits of the caption."""
        self.caption(f"volume {expected:.6g} mm³")

    def caption(self, text):
        try:
            self.part.locator("#told p").filter(has_text=text).wait_for(timeout=90_000)
        except Exception as error:
            raise AssertionError(f"{text}: {self.page.locator('body').inner_text()}") from error

    def alert(self, text):
        self.page.get_by_role("alert").filter(has_text=text).first.wait_for(timeout=90_000)

    def tab(self, name):
        self.page.get_by_role("tab", name=name).click()

    def sees(self, text):
        self.page.get_by_text(text, exact=False).first.wait_for(timeout=90_000)

    def viewer(self, expression):
        frame = next(f for f in self.page.frames if f.url.endswith("/frame"))
        return frame.evaluate(expression)


@pytest.fixture
def desk(tab, address):
    return Desk(tab).open(address)


@pytest.fixture
def own_desk(tab, script, served_script):
    return Desk(tab).open(served_script[1])


def test_values_are_set_by_typing_moving_and_choosing(desk):
    """Units and formulas, a slider by keys, a choice, a flag; each gives the part of closed form."""
    desk.volume(40 * 20 * 10 - ROUND)
    desk.type("wide", "2 in")
    desk.volume(50.8 * 25.4 * 10 - ROUND)
    desk.type("deep", "=wide/4")
    desk.volume(50.8 * 12.7 * 10 - ROUND)
    desk.type("wide", "40")
    desk.volume(40 * 10 * 10 - ROUND)
    desk.page.locator(".q-slider__track-container").press("ArrowRight")
    desk.volume(40.4 * 10.1 * 10 - ROUND)
    desk.field("shape").click()
    desk.page.get_by_role("option", name="square").click()
    desk.volume(40.4 * 10.1 * 10)
    desk.page.get_by_role("switch", name="hollow").press("Space")
    desk.volume(40.4 * 10.1 * 10 - 38.4 * 8.1 * 9)
    desk.tab("Know")
    desk.sees("room 408.0")


def test_what_is_refused_stands_beside_its_value_and_the_last_part_stays(desk):
    desk.type("wide", "8")
    desk.alert("wide")
    desk.sees("try 10")
    desk.volume(40 * 20 * 10 - ROUND)
    desk.type("wide", "three")
    desk.alert("three")
    desk.type("wide", "20")
    desk.type("deep", "30")
    desk.alert("the block is deeper than wide")
    desk.type("deep", "10")
    desk.volume(20 * 10 * 10 - ROUND)


def test_presets_are_kept_chosen_and_removed(own_desk, script):
    desk = own_desk
    desk.type("wide", "60")
    desk.volume(60 * 30 * 10 - ROUND)
    desk.page.get_by_role("button", name="Save").first.click()
    desk.page.get_by_label("name of the preset").fill("site A")
    desk.page.get_by_label("name of the preset").press("Enter")
    desk.page.get_by_role("dialog").wait_for(state="hidden")
    file = script.with_name("block.presets.toml")
    wait_for(lambda: file.is_file() and "site A" in file.read_text())
    desk.type("wide", "50")
    desk.volume(50 * 25 * 10 - ROUND)
    desk.page.get_by_role("button", name="Reset").click()
    desk.volume(60 * 30 * 10 - ROUND)
    desk.field("preset").click()
    desk.page.get_by_role("option").first.click()
    desk.page.get_by_role("button", name="Reset").click()
    desk.volume(40 * 20 * 10 - ROUND)
    desk.field("preset").click()
    desk.page.get_by_role("option", name="site A").click()
    desk.volume(60 * 30 * 10 - ROUND)
    desk.type("wide", "61")
    desk.volume(61 * 30.5 * 10 - ROUND)
    desk.tab("Know")
    desk.sees("60 → 61")
    desk.tab("Take")
    with desk.page.expect_download() as download:
        desk.page.get_by_role("button", name="all presets as STL").click()
    with zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes())) as archive:
        assert archive.namelist() == ["site A.stl"]
    desk.tab("Set")
    desk.page.get_by_role("button", name="Remove").click()
    wait_for(lambda: "site A" not in file.read_text())


def test_presets_are_shown_side_by_side(own_desk, script):
    """Two presets and what is set, in a row, with what differs in a table; a change shows one part again."""
    desk = own_desk
    text = '["site A"]\nwide = 60.0\nshape = "square"\n\n["site B"]\nwide = 20.0\nshape = "square"\n'
    script.with_name("block.presets.toml").write_text(text)
    script.write_text(script.read_text() + "\n")  # a saved script is loaded again
    desk.tab("Compare")
    desk.page.get_by_label("compare").click()
    for name in ("site A", "site B"):
        desk.page.get_by_role("option", name=name).click()
    desk.page.keyboard.press("Escape")
    desk.page.get_by_role("button", name="Show side by side").click()
    desk.volume(60 * 30 * 10 + 20 * 10 * 10 + 40 * 20 * 10 - ROUND)
    rows = desk.page.locator(".lw-table tr").all_inner_texts()
    told = {row.split()[0]: row.split()[1:] for row in rows if row.strip()}
    assert told["wide"] == ["40", "60", "20"]
    assert told["shape"] == ["round", "square", "square"]
    assert told["volume"][2:] == ["18000", "mm³", "2000", "mm³"]
    assert "hollow" not in told
    desk.tab("Set")
    desk.type("wide", "50")
    desk.volume(50 * 25 * 10 - ROUND)


def wait_for(done):
    until = time.monotonic() + 90
    while not done():
        assert time.monotonic() < until
        time.sleep(0.05)


def test_steps_are_shown_and_files_are_taken(desk, tmp_path):
    desk.tab("Steps")
    desk.page.get_by_role("button", name="1 block").click()
    desk.volume(40 * 20 * 10)
    desk.page.get_by_role("button", name="2 soft").click()
    desk.volume(40 * 20 * 10 - ROUND)
    desk.tab("Take")
    for suffix in ("STEP", "STL"):
        with desk.page.expect_download() as download:
            desk.page.get_by_role("button", name=suffix, exact=True).click()
        path = tmp_path / download.value.suggested_filename
        download.value.save_as(path)
        assert path.name == f"block.{suffix.lower()}"
    assert lw.read_step(tmp_path / "block.step").volume == pytest.approx(40 * 20 * 10 - ROUND, rel=1e-12)


def test_the_script_is_followed(own_desk, script):
    """A saved change appears with what was set; a mistake is told with its line, and the part stays."""
    desk = own_desk
    desk.type("wide", "50")
    desk.volume(50 * 25 * 10 - ROUND)
    good = script.read_text()
    script.write_text(good.replace("wide, deep, 10)", "wide, deep, 12)"))
    desk.volume(50 * 25 * 12 - ROUND * 1.2)
    script.write_text(good.replace('job.box("block"', 'job.bax("block"'))
    desk.alert("line 17")
    script.write_text(good + "\nx = = 1\n")
    desk.alert("line")
    desk.volume(50 * 25 * 12 - ROUND * 1.2)
    script.write_text(good)
    desk.volume(50 * 25 * 10 - ROUND)


def test_a_slow_script_is_stopped(desk):
    desk.type("wait", "60")
    desk.page.get_by_role("button", name="Stop").click(timeout=90_000)
    desk.alert("the process of the script ended")
    desk.type("wait", "0")
    desk.type("wide", "44")
    desk.volume(44 * 22 * 10 - ROUND)


def test_two_pages_have_their_own_values(browser, address):
    with opened(browser) as page:
        one = Desk(page).open(address)
        two = Desk(page.context.new_page()).open(address)
        one.type("wide", "30")
        two.type("wide", "50")
        one.volume(30 * 15 * 10 - ROUND)
        two.volume(50 * 25 * 10 - ROUND)
        assert one.field("wide").input_value() == "30"


def test_many_changes_leave_nothing_behind(desk):
    """The viewer holds the geometry of one part, its faces and its edges, after fifteen changes."""
    for k in range(15):
        desk.type("wide", str(41 + k))
        desk.volume((41 + k) ** 2 / 2 * 10 - ROUND)
    wait_for(lambda: desk.viewer("window.part.view.renderer.info.memory.geometries") == 2)


def test_a_part_that_grows_stays_in_view(desk):
    """In the middle, in the direction from which it is seen."""
    before = desk.viewer(DIRECTION)
    desk.type("wide", "90")
    desk.volume(90 * 45 * 10 - ROUND)
    wait_for(
        lambda: desk.viewer("window.part.view.controls.target.toArray()") == pytest.approx([45, 22.5, 5])
    )
    assert desk.viewer(DIRECTION) == pytest.approx(before)


def test_a_part_is_turned_named_and_measured(desk):
    """By keys and by the mouse: a face under the pointer is named, two picks are measured exactly."""
    canvas = desk.part.locator("canvas")
    canvas.press("5")
    box = canvas.bounding_box()
    middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    desk.page.mouse.move(*middle)
    desk.part.get_by_text("block/top").wait_for()
    desk.page.mouse.click(*middle)
    before = desk.viewer("window.part.view.camera.position.toArray()")
    canvas.press("ArrowLeft")
    canvas.press("+")
    assert desk.viewer("window.part.view.camera.position.toArray()") != before
    desk.part.get_by_role("button", name="bottom").click()
    desk.page.mouse.click(*middle)
    desk.part.get_by_text("10 mm apart at least, at 0 degrees").wait_for(timeout=90_000)
    canvas.press("Escape")
    assert desk.part.locator("#found").inner_text() == ""
    desk.part.get_by_label("section across").select_option("x")
    desk.part.get_by_label("place of the section").press("ArrowRight")
    assert desk.viewer("window.part.view.section.share") == pytest.approx(0.51)
    desk.part.get_by_label("opacity").press("ArrowLeft")
    assert desk.viewer("window.part.view.opacity") == pytest.approx(0.95)


def test_every_control_by_the_keyboard(own_desk, script):
    """Tabs and buttons by Enter, lists by arrows, switches by Space, sliders by arrows; no click."""
    desk, page = own_desk, own_desk.page

    def enter(role, name, **options):
        page.get_by_role(role, name=name, **options).first.press("Enter")

    desk.field("wide").press("Control+a")
    page.keyboard.type("50")
    desk.volume(50 * 25 * 10 - ROUND)
    desk.field("shape").press("ArrowDown")
    page.get_by_role("option", name="square").wait_for()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    desk.volume(50 * 25 * 10)
    page.get_by_role("switch", name="hollow").press("Space")
    desk.volume(50 * 25 * 10 - 48 * 23 * 9)
    page.locator(".q-slider__track-container").press("ArrowLeft")
    desk.volume(49.6 * 24.8 * 10 - 47.6 * 22.8 * 9)
    enter("button", "Save")
    page.wait_for_function("document.activeElement.ariaLabel === 'name of the preset'")
    page.keyboard.type("by keys")
    page.keyboard.press("Enter")
    file = script.with_name("block.presets.toml")
    wait_for(lambda: file.is_file() and "by keys" in file.read_text())
    page.get_by_role("dialog").wait_for(state="hidden")
    desk.field("wide").press("Control+a")
    page.keyboard.type("70")
    enter("button", "Reset")
    desk.volume(49.6 * 24.8 * 10 - 47.6 * 22.8 * 9)
    for name in ("Know", "Compare"):
        enter("tab", name)
        page.get_by_role("tab", name=name, selected=True).wait_for()
    page.get_by_label("compare").press("ArrowDown")
    page.get_by_role("option", name="by keys").wait_for()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.keyboard.press("Escape")
    enter("button", "Show side by side")
    desk.volume(2 * (49.6 * 24.8 * 10 - 47.6 * 22.8 * 9))
    enter("tab", "Steps")
    enter("button", "1 block")
    desk.volume(49.6 * 24.8 * 10)
    enter("tab", "Take")
    with page.expect_download() as download:
        enter("button", "STEP", exact=True)
    assert download.value.suggested_filename == "block.step"
    enter("tab", "Set")
    enter("button", "Remove")
    wait_for(lambda: "by keys" not in file.read_text())
    desk.type("wait", "60")
    page.get_by_role("button", name="Stop").press("Enter", timeout=90_000)
    desk.alert("the process of the script ended")


def test_the_view_by_the_keyboard(desk):
    canvas, seen = desk.part.locator("canvas"), []
    for key in ("0", "1", "2", "3", "4", "5", "6", "ArrowLeft", "ArrowRight", "Shift+ArrowUp", "ArrowDown"):
        canvas.press(key)
        seen.append(tuple(round(c, 6) for c in desk.viewer(DIRECTION)))
    assert len(set(seen)) == len(seen)
    canvas.press("+")
    assert desk.viewer("window.part.view.camera.zoom") == pytest.approx(1.15)
    canvas.press("-")
    canvas.press("f")
    assert desk.viewer("window.part.view.camera.zoom") == 1
    canvas.press("n")
    first = desk.part.locator("#found").inner_text()
    assert first.startswith("block/")
    canvas.press("Enter")
    canvas.press("n")
    canvas.press("Enter")
    desk.part.get_by_text("mm apart at least").wait_for(timeout=90_000)
    canvas.press("Escape")
    canvas.press("p")
    assert desk.part.locator("#found").inner_text() == first
    desk.part.get_by_role("button", name="top").press("Enter")
    assert desk.viewer(DIRECTION) == pytest.approx([0, 0, 1], abs=1e-3)
    desk.part.get_by_label("section across").press("z")
    assert desk.viewer("window.part.view.section.axis") == "z"
    desk.part.get_by_label("place of the section").press("ArrowLeft")
    assert desk.viewer("window.part.view.section.share") == pytest.approx(0.49)
    desk.part.get_by_label("opacity").press("ArrowLeft")
    assert desk.viewer("window.part.view.opacity") == pytest.approx(0.95)


def test_the_view_by_the_mouse(desk):
    """Buttons, drags, the wheel, sliders."""
    canvas, mouse = desk.part.locator("canvas"), desk.page.mouse
    box = canvas.bounding_box()
    middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    seen = []
    for name in ("iso", "front", "back", "right", "left", "top", "bottom"):
        desk.part.get_by_role("button", name=name).click()
        seen.append(tuple(round(c, 3) for c in desk.viewer(DIRECTION)))
    assert len(set(seen)) == 7

    def drag(button, by):
        mouse.move(*middle)
        mouse.down(button=button)
        mouse.move(middle[0] + by, middle[1] + by, steps=5)
        mouse.up(button=button)

    before = desk.viewer(DIRECTION)
    drag("left", 60)
    assert desk.viewer(DIRECTION) != pytest.approx(before)
    target = desk.viewer("window.part.view.controls.target.toArray()")
    drag("right", 60)
    assert desk.viewer("window.part.view.controls.target.toArray()") != pytest.approx(target)
    mouse.wheel(0, -300)
    wait_for(lambda: desk.viewer("window.part.view.camera.zoom") > 1)
    desk.part.get_by_role("button", name="fit").click()
    assert desk.viewer("window.part.view.camera.zoom") == 1
    for label, what, least in (("place of the section", "section.share", 0.5), ("opacity", "opacity", 0.4)):
        desk.part.get_by_label("section across").select_option("y")
        slider = desk.part.get_by_label(label).bounding_box()
        mouse.click(slider["x"] + 0.75 * slider["width"], slider["y"] + slider["height"] / 2)
        assert least < desk.viewer(f"window.part.view.{what}") < 0.9


def test_the_values_by_the_mouse(desk):
    """A slider is dragged, a switch and an entry of a list are clicked."""
    slider = desk.page.locator(".q-slider").bounding_box()
    across = slider["y"] + slider["height"] / 2
    desk.page.mouse.move(slider["x"] + 0.375 * slider["width"], across)
    desk.page.mouse.down()
    desk.page.mouse.move(slider["x"] + 0.75 * slider["width"], across, steps=8)
    desk.page.mouse.up()
    wait_for(lambda: 68 < float(desk.field("wide").input_value()) < 72)
    desk.page.get_by_role("switch", name="hollow").click()
    desk.field("shape").click()
    desk.page.get_by_role("option", name="square").click()
    wide = float(desk.field("wide").input_value())
    desk.volume(wide**2 * 5 - (wide - 2) * (wide / 2 - 2) * 9)


def test_it_works_in_a_small_window(browser, address):
    with opened(browser, viewport={"width": 800, "height": 600}) as page:
        desk = Desk(page).open(address)
        for name in ("Set", "Know", "Steps", "Take"):
            box = page.get_by_role("tab", name=name).bounding_box()
            assert box["x"] + box["width"] < 400
        bar = desk.part.locator("#bar").bounding_box()
        assert bar["x"] + bar["width"] <= 800 and bar["y"] + bar["height"] <= 600


def test_a_port_that_is_not_to_be_had_is_told(script, address, lathwick):
    """In one line, before anything is served."""
    used = urlsplit(address).port
    for port, words in (
        (used, f"port {used} is not to be had"),
        (99999, "a port is a number from 1 to 65535"),
    ):
        found = lathwick("page", script, "--port", port, "--no-browser")
        assert (found.code, found.out) == (2, "")
        assert found.err.startswith(f"lathwick: {words}")


def test_only_this_page_may_ask(browser, address):
    """No token, another host or another origin: refused; nothing from outside is asked for."""
    with opened(browser) as page:
        asked = []
        page.on("request", lambda request: asked.append(request.url))
        Desk(page).open(address)
        web = [urlsplit(url).hostname for url in asked if url.startswith(("http", "ws"))]
        assert web and set(web) == {"127.0.0.1"}
        cookie = "; ".join(f"{c['name']}={c['value']}" for c in page.context.cookies())
        where = urlsplit(address)

        def status(path="/frame", **headers):
            with closing(http.client.HTTPConnection(where.hostname, where.port, timeout=60)) as asking:
                asking.request("GET", path, headers=headers)
                return asking.getresponse().status

        assert status(Cookie=cookie) == 200
        assert status() == 403
        assert status("/?token=guess") == 403
        assert status(Cookie=cookie, Origin="http://example.org") == 403
        assert status(Cookie=cookie, Host=f"example.org:{where.port}") == 403
        for path in ("/static/../server.py", "/static/%2e%2e/x", "/static/x.py", "/model/1"):
            assert status(path, Cookie=cookie) == 404


def test_a_saved_view_opens_offline(browser, tmp_path):
    """One file, no network: the part turns, its faces are named, a cut shows; a hostile name stays text."""
    name = '</script><script>window.hacked=1</script>"&'
    plate = lw.box(40, 30, 5, step="plate")
    part = lw.Part({"<b>plate": plate, "pin": lw.cylinder(3, 20, step="pin")}, name=name)
    path = tmp_path / "view.html"
    part.save(path)
    assert path.stat().st_size < 2_000_000
    with opened(browser, offline=True) as page:
        wrong = []
        page.on("pageerror", lambda error: wrong.append(str(error)))
        page.goto(path.as_uri())
        page.locator("#told h1").filter(has_text="window.hacked").wait_for(timeout=90_000)
        page.locator("canvas").press("5")
        page.mouse.move(640, 300)
        page.get_by_text("plate/top").wait_for()
        page.get_by_label("section across").select_option("x")
        assert not wrong and page.evaluate("window.hacked") is None


def test_what_cannot_be_viewed_is_refused(tmp_path):
    with pytest.raises(lw.ExchangeError, match="cannot be saved as a view"):
        lw.save(lw.Sketch(lw.XY), tmp_path / "x.html")
