"""Parameters and formulas: units, limits, order, and nothing that runs code."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

import lathwick as lw
from lathwick.family.formulas import FUNCTIONS, Formula


@lw.design(unit="mm")
def bracket(
    job: lw.Job,
    run: lw.Length = lw.param("=2*rise", low=1),
    rise: lw.Length = lw.param(12.0, low=5, high=80, note="height"),
    lean: lw.Angle = lw.param("30 deg", low=0, high=90),
    holes: lw.Count = lw.param(4, choices=(2, 4, 6)),
    share: lw.Number = lw.param(0.25, low=0, high=1),
    label: lw.Text = lw.param(""),
    slotted: lw.Flag = lw.param(False),
    plate: lw.Length = lw.param(0.25, unit="in"),
) -> lw.Part:
    sk = job.sketch("plan")
    sk.rectangle(run, rise)
    return lw.Part(job.extrude("plate", sk, plate))


def test_defaults_resolve_in_any_order():
    """A formula may stand before what it reads."""
    values = bracket.check({})
    assert list(values) == [p.name for p in bracket.parameters]
    assert (values["run"], values["rise"], values["plate"]) == (24.0, 12.0, 6.35)
    assert (values["holes"], values["slotted"], values["label"]) == (4, False, "")
    assert type(values["holes"]) is int


@pytest.mark.parametrize(
    ("text", "millimetres"),
    [
        ("12.5", 12.5),
        ("1 in", 25.4),
        ("3/4 in", 19.05),
        ("1 1/2 in", 38.1),
        ("1-1/2 in", 38.1),
        ('2"', 50.8),
        ("3.2cm", 32.0),
        ("0.05 m", 50.0),
        ("30 mm", 30.0),
        ("1e1 mm", 10.0),
        ("=1/2 in + rise/0.5 - rise*2", 12.7),
    ],
)
def test_lengths_with_units(text, millimetres):
    """Inches, fractions and metric units go into a design in mm exactly."""
    if text.startswith("="):
        text = text.replace("rise", "share")
    assert bracket.check({"rise": text})["rise"] == millimetres


def test_angles_with_units():
    """Degrees by default; radians by name."""
    assert bracket.check({"lean": "45"})["lean"] == 45
    assert bracket.check({"lean": "1 rad"})["lean"] == pytest.approx(math.degrees(1), rel=1e-15)


def test_own_unit_of_a_parameter():
    """A parameter declared in inches takes bare numbers in inches, and others by unit."""
    assert bracket.check({"plate": 0.5})["plate"] == 12.7
    assert bracket.check({"plate": "0.5"})["plate"] == 12.7
    assert bracket.check({"plate": "5 mm"})["plate"] == 5
    assert bracket.check({"plate": "=rise/2"})["plate"] == 6


def test_formulas_are_not_rounded():
    """A formula gives the same double as the expression, down to the solid."""
    angle = bracket.check({"lean": "=atan(0.4/sqrt(0.3))"})["lean"]
    assert angle == math.degrees(math.atan(0.4 / math.sqrt(0.3)))
    part = bracket(rise="=10/3 * 3.1", run=7)
    assert part.volume == pytest.approx(7 * (10 / 3 * 3.1) * 6.35, rel=1e-15)


@pytest.mark.parametrize(
    ("values", "message"),
    [
        ({"rise": 81}, "rise = 81 mm: must be at most 80 mm"),
        ({"rise": "4 mm"}, "rise = 4 mm: must be at least 5 mm"),
        ({"rise": "=share"}, "rise = share = 0.25 mm with share = 0.25: must be at least 5 mm"),
        ({"holes": 3}, "holes = 3: must be one of 2, 4, 6"),
        ({"holes": 4.5}, "holes: 4.5 is no whole number"),
        ({"rise": "tall"}, 'rise: "tall" is no number; write 12.5, 3/16 or "3/16 in"'),
        ({"rise": "12,5"}, 'rise: "12,5" is no number; write 12.5, 3/16 or "3/16 in"'),
        ({"rise": "3 kg"}, 'rise: "kg" is no unit of length'),
        ({"rise": "3 deg"}, 'rise: "deg" is no unit of length'),
        ({"rise": "3 smoots"}, 'rise: "smoots" is no unit that is known'),
        ({"lean": "3 mm"}, 'lean: "mm" is no unit of angle'),
        ({"share": "0.5 mm"}, 'share: "0.5 mm" must be a number without a unit'),
        ({"rise": "1/0"}, 'rise: "1/0" divides by zero'),
        ({"rise": float("nan")}, "rise: nan is not finite"),
        ({"rise": "NaN"}, 'rise: "NaN" is not finite'),
        ({"rise": float("inf")}, "rise: inf is not finite"),
        ({"rise": True}, "rise: True is no number"),
        ({"rise": [1]}, "rise: [1] is no number"),
        ({"slotted": "maybe"}, "slotted: 'maybe' is neither yes nor no"),
        ({"rize": 3}, 'there is no parameter "rize"; there are run, rise, lean, holes, share, label,'),
        ({"rise": "=run"}, "the formulas of run -> rise -> run go in a circle"),
        ({"rise": "=rise"}, "the formulas of rise -> rise go in a circle"),
        ({"rise": "=width/2"}, 'rise = "=width/2" reads "width", which is no parameter'),
        ({"rise": "=label"}, "rise: label is a text and cannot be calculated with"),
        ({"rise": "=1/(share-0.25)"}, 'rise: "=1/(share-0.25)" divides by zero'),
        ({"rise": "=sqrt(-1)"}, 'rise: "=sqrt(-1)" has no value'),
        ({"rise": "=tan(90)"}, 'rise: "=tan(90)" has no value'),
        ({"rise": "="}, "rise: the formula is empty"),
        ({"rise": "=2*"}, 'rise: "=2*" is no formula'),
        ({"rise": "=2^3"}, 'rise: "=2^3": bitxor is not allowed in a formula; powers are written **'),
        ({"rise": "=share/16 in"}, 'rise: "=share/16 in": put "16 in" in brackets'),
        ({"holes": "=share"}, "holes: 0.25 is no whole number"),
    ],
)
def test_mistakes_are_named(values, message):
    """Each message names the parameter, the value, and the limit or the remedy."""
    with pytest.raises(lw.ParameterError) as caught:
        bracket.check(values)
    assert str(caught.value).startswith(message)
    assert caught.value.parameter


@pytest.mark.parametrize(
    "formula",
    [
        "=().__class__",
        "=rise.real",
        "=__import__('os')",
        "=open('x')",
        "=eval('1')",
        "=[1,2][0]",
        "={1:2}",
        "=lambda: 1",
        "=(rise := 3)",
        "='a'*9",
        "=f'{rise}'",
        "=rise if open else 1",
        "=max([1,2])",
        "=max(*(1,2))",
        "=round(1.5, ndigits=1)",
        "=(sqrt)(x=4)",
        "=[x for x in (1,2)]",
        "=9**9**9**9**9",
        "=9**99",
        "=2**-99",
        "=(-8)**0.5",
        "=" + "(" * 300 + "1" + ")" * 300,
        "=" + "1+" * 300 + "1",
        "=" + "-" * 399 + "1",
        "=1e308*1e308",
        "=0x10.__class__",
        "=1_0j",
        "=True.real",
        "=None",
        "=...",
    ],
)
def test_formulas_are_data(formula):
    """Attributes, calls, strings, comprehensions, deep or huge expressions: refused, not run."""
    with pytest.raises(lw.ParameterError):
        bracket.check({"rise": formula})


def test_every_listed_function_works():
    """The agreed functions, with angles in degrees."""
    expected = {
        "sqrt(9)": 3, "sin(30)": 0.5, "cos(60)": 0.5, "tan(45)": 1, "asin(1)": 90, "acos(0)": 90,
        "atan(1)": 45, "atan2(1,-1)": 135, "abs(-3)": 3, "min(3,1,2)": 1, "max(3,1,2)": 3,
        "floor(2.7)": 2, "ceil(2.2)": 3, "round(2.6)": 3, "hypot(3,4)": 5, "pi": math.pi,
    }  # fmt: skip
    assert {text.split("(")[0] for text in expected} == {*FUNCTIONS, "pi"}
    for text, value in expected.items():
        assert Formula.parse(text).evaluate({}) == pytest.approx(value, rel=1e-15)


@pytest.mark.parametrize("quarter", range(-8, 9))
def test_quarter_turns_are_exact(quarter):
    """Sine and cosine of multiples of 90 degrees are 0, 1 or -1, nothing near them."""
    a = 90 * quarter
    assert Formula.parse(f"sin({a})").evaluate({}) == (0, 1, 0, -1)[quarter % 4]
    assert Formula.parse(f"cos({a})").evaluate({}) == (1, 0, -1, 0)[quarter % 4]


@given(st.floats(-720, 720))
def test_sine_and_cosine_agree_with_radians(a):
    """In between they agree with the mathematical functions."""
    assert Formula.parse(f"sin({a!r})").evaluate({}) == pytest.approx(math.sin(math.radians(a)), abs=4e-15)
    assert Formula.parse(f"cos({a!r})").evaluate({}) == pytest.approx(math.cos(math.radians(a)), abs=4e-15)


@given(st.text(max_size=40))
def test_any_text_is_a_value_or_refused(text):
    """No text makes anything but a value or a ParameterError."""
    for raw in (text, "=" + text):
        try:
            value = bracket.check({"rise": raw})["rise"]
        except lw.ParameterError as error:
            assert error.parameter
        else:
            assert 5 <= value <= 80


def test_required_parameter():
    """A parameter without a default must be given."""

    @lw.design()
    def pin(job: lw.Job, radius: lw.Length = lw.param(low=1), height: lw.Length = 5.0) -> lw.Body:
        sk = job.sketch("plan")
        sk.circle((0, 0), radius)
        return job.extrude("pin", sk, height)

    with pytest.raises(lw.ParameterError, match="radius has no default and must be given"):
        pin()
    part = pin(radius=2)
    assert (part.name, part.mass, dict(part.params)) == ("pin", None, {"radius": 2.0, "height": 5.0})


def test_declarations_are_checked():
    """A wrong annotation, name, limit or unit is refused where it is declared."""

    def declare(**annotations: object) -> lw.Design:
        def make(job, x=3):
            return None

        make.__annotations__ = annotations
        return lw.design()(make)

    with pytest.raises(lw.ParameterError, match="x: annotate it with Length"):
        declare(x=float)
    with pytest.raises(lw.ParameterError, match='"furlong" is no design unit'):
        lw.design(unit="furlong")(lambda job: None)

    def low_above_high(job, x: lw.Length = lw.param(3, low=5, high=4)):
        return None

    with pytest.raises(lw.ParameterError, match="x: low 5 is above high 4"):
        lw.design()(low_above_high)

    def taken(job, volume: lw.Length = 3):
        return None

    with pytest.raises(lw.ParameterError, match='cannot be called "volume"'):
        lw.design()(taken)


def test_require_refuses_with_the_message():
    """`job.require` turns a condition into one clear refusal."""
    job = lw.Job()
    job.require(2 > 1, "never shown")
    with pytest.raises(lw.ParameterError, match="the base is too small"):
        job.require(1 > 2, "the base is too small")


@pytest.mark.parametrize(("density", "unit"), [("2.70 g/cm3", "mm"), (2.70e-6, "mm"), ("2700 kg/m3", "in"),
                                               ("0.0975437 lb/in3", "cm")])  # fmt: skip
def test_mass_in_any_unit(density, unit):
    """A density with a unit gives kilograms whatever the design's unit is."""
    side = {"mm": 100.0, "in": 100 / 25.4, "cm": 10.0}[unit]
    sk = lw.Sketch(unit=unit)
    sk.rectangle(side, side)
    part = lw.Part(lw.extrude(sk.regions(), side), material=lw.Material("aluminium", density))
    assert part.mass == pytest.approx(2.7, rel=1e-5)


@pytest.mark.parametrize("density", [0, -1, "heavy", "3 g/kg", float("nan")])
def test_wrong_densities(density):
    """A density is a positive number, or a text of mass over volume."""
    with pytest.raises(lw.ParameterError):
        lw.Material("lead", density)
