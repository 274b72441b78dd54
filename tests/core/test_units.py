# ruff: noqa: E501
"""Units, spelling by spelling, against a table written independently of the one in use, and against a units library."""

import numpy as np
import pint
import pytest

from lauftakt.core.log.units import SI, _spellings, into_si, reading_of, readings
from lauftakt.formats.units import UnknownUnit, check_unit, convert

# One unit of each spelling in SI.
SPELLINGS = {
    "speed": {
        1 / 3.6: "km/h kmh KMH kph Km/h KM/H km·h⁻¹ km.h-1 km/u km/std kmph kilometres/hour", 1.0: "m/s mps M/S m·s^-1 ms-1 m/sec",
        0.44704: "mph MPH mi/h miles/hour", 0.514444: "kn kt kts knots", 0.3048: "ft/s fps",
    },
    "rotation": {
        0.1047198: "rpm RPM Rpm 1/min min-1 min^-1 min⁻¹ /min U/min u/min Umdr/min tr/min TR/MN giri/min omw/min rev/min r/min t/min vueltas/min tpm",
        6.283185: "Hz 1/s rps rev/s s^-1", 1.0: "rad/s", 104.7198: "rpm*1000 krpm",
    },
    "angle": {0.01745329: "deg ° Deg DEG degree degrees Grad grad grados gradi º degrés", 1.0: "rad RAD radians", 0.001: "mrad", 0.01570796: "gon"},
    "turn_rate": {0.01745329: "deg/s °/s dps DPS Grad/s deg·s⁻¹ grad/sek °/sec", 1.0: "rad/s RAD/S rad·s^-1"},
    "pressure": {
        1e5: "bar Bar BAR bar(g) barg", 1e2: "mbar mBar hPa HPA", 1e3: "kPa KPA kpa", 1e6: "MPa N/mm²", 6894.757: "psi PSI psig lb/in² lbf/in²",
        1.0: "Pa N/m^2", 98066.5: "kgf/cm² kg/cm2", 133.3224: "mmHg",
    },
    "share": {0.01: "% PCT pct percent Prozent pourcent 0..100 procent", 1.0: "ratio Ratio 0..1 0-1 - 1 frac norm n/a [-]", 0.001: "‰"},
    "acceleration": {9.80665: "g G Gs", 1.0: "m/s² m/s^2 m/s2 m/s/s m·s⁻² ms^-2 m/s**2", 0.00980665: "mg", 0.3048: "ft/s²"},
    "length": {1.0: "m M metres metri", 1000.0: "km KM", 0.001: "mm", 0.3048: "ft feet", 1609.344: "mi miles", 0.0254: "in inch"},
    "volume": {1e-3: "l L ltr litres Liter", 3.785412e-3: "gal gallons", 1e-6: "ml"},
    "voltage": {1.0: "V v Volt volts", 0.001: "mV"},
    "time": {1.0: "s sec S Sekunden", 1e-3: "ms MS", 60.0: "min", 1e-6: "µs us"},
    "place": {1.0: "deg ° degrees dd.dddd", 1e-7: "1e-7deg deg*1e7 degE7 1E-7°", 1 / 60: "min minutes arcmin", 57.29578: "rad"},
}  # fmt: skip
TEMPERATURES = {
    "°C C degC deg C DEG C Celsius celsius gradC °c": (300.0, 573.15), "°F F degF Fahrenheit deg F": (32.0, 273.15), "K k Kelvin": (300.0, 300.0),
}  # fmt: skip
CASES = [
    (quantity, spelling, factor)
    for quantity, units in SPELLINGS.items()
    for factor, spellings in units.items()
    for spelling in spellings.split()
]


@pytest.mark.parametrize("quantity", SPELLINGS)
def test_spellings_of_the_trade(quantity: str) -> None:
    for own, spelling, factor in CASES:
        if own == quantity:
            reading = reading_of(spelling, (quantity,))
            assert reading is not None, spelling
            assert reading.factor == pytest.approx(factor, rel=1e-5), spelling
    assert reading_of("m s-1", ("speed",)) == reading_of("m/s", ("speed",))


def test_temperatures_have_an_offset() -> None:
    for spellings, (value, kelvin) in TEMPERATURES.items():
        for spelling in [*spellings.split(), "deg C"] if "C" in spellings.split() else spellings.split():
            if spelling in ("deg",):
                continue
            assert convert(np.array([value]), spelling, "K")[0] == pytest.approx(kelvin), spelling


def test_absolute_pressures_become_pressures_over_the_surroundings() -> None:
    for spelling in ("bara", "bar(a)", "BarA"):
        assert convert(np.array([1.01325]), spelling, "Pa")[0] == pytest.approx(0.0, abs=1e-6)
    assert convert(np.array([14.6959488]), "psia", "Pa")[0] == pytest.approx(0.0, abs=0.1)


def test_degrees_and_minutes_in_one_figure() -> None:
    for spelling in ("ddmm.mmmm", "DDMM.MMMMM", "nmea"):
        reading = reading_of(spelling, ("place",))
        assert reading is not None
        assert into_si(np.array([5348.762, -1011.076]), reading) == pytest.approx([53 + 48.762 / 60, -10 - 11.076 / 60])


def test_a_unit_that_measures_something_else_or_nothing_is_told() -> None:
    for given, wanted in (("bar", "m/s"), ("zorg", "m/s"), ("", "Pa"), ("°C", "rad")):
        with pytest.raises(UnknownUnit):
            convert(np.zeros(1), given, wanted)
    with pytest.raises(UnknownUnit):
        check_unit("zorg", None)
    check_unit("furlong/fortnight", "m/s")
    check_unit("furlong/fortnight", None)
    assert readings("zorg") == ()
    assert readings("1e-7 deg")[0].factor == pytest.approx(1e-7 * np.pi / 180)


# The library counts no turns in "1/min", takes "grad" for a gon and "kmph" for thousands of miles an hour.
NOT_THE_LIBRARYS = ("kmph", "grad", "grade", "grad/s", "gr")


def test_the_table_agrees_with_a_units_library() -> None:
    """Every spelling that the library reads as the same quantity has the library's factor."""
    library = pint.UnitRegistry(autoconvert_offset_to_baseunit=True)
    tried = 0
    for spelling, found in _spellings().items():
        for reading in found:
            if reading.quantity not in SI or reading.written or reading.quantity in ("share", "count", "place"):
                continue
            try:
                ends = library.Quantity(np.array([0.0, 1.0]), spelling).to(SI[reading.quantity]).magnitude
            except Exception:
                continue
            if spelling in NOT_THE_LIBRARYS or (reading.quantity == "rotation" and spelling != "rpm"):
                continue  # the library counts no turns in a hertz, and takes "grad" for a gon
            assert ends[1] - ends[0] == pytest.approx(reading.factor, rel=1e-4), spelling
            tried += 1
    assert tried > 80


@pytest.mark.parametrize(
    ("spelling", "quantity", "factor"),
    [
        ("deg per second", "turn_rate", 0.01745329),
        ("meter/sec²", "acceleration", 1.0),
        ("g's", "acceleration", 9.80665),
        ("r.p.m.", "rotation", 0.1047198),
        ("U/Min.", "rotation", 0.1047198),
        ("rev/minute", "rotation", 0.1047198),
        ("grados/seg", "turn_rate", 0.01745329),
        ("0..100 %", "share", 0.01),
        ("bar rel", "pressure", 1e5),
        ("gal(US)", "volume", 3.785412e-3),
        ("deg(WGS84)", "place", 1.0),
        ("ddd.dddd°", "place", 1.0),
        ("10^-7 deg", "place", 1e-7),
        ("deg*10^7", "place", 1e-7),
        ("minutes of arc", "place", 1 / 60),
        ("0.1 bar", "pressure", 1e4),
        ("bar*10", "pressure", 1e4),
        ("km per h", "speed", 1 / 3.6),
    ],
)
def test_units_in_words_and_with_factors(spelling: str, quantity: str, factor: float) -> None:
    reading = reading_of(spelling, (quantity,))
    assert reading is not None
    assert reading.factor == pytest.approx(factor, rel=1e-5)
