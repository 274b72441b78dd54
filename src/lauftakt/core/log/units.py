"""Every way in which loggers write a unit: spelling -> what it measures, and the factor to SI.

A spelling can be read in more than one way ("deg" is an angle or a temperature, "Hz" a shaft's speed or a rate); the
quantity that is wanted decides. Spellings are compared without case, blanks and the many ways to write powers.
"""

import math
import re
import unicodedata
from dataclasses import dataclass, replace
from functools import cache

import numpy as np
from numpy.typing import NDArray
from scipy.constants import atm, foot, gallon, hour, inch, knot, mile, pound, psi, torr, yard
from scipy.constants import g as GRAVITY

Array = NDArray[np.float64]

TURN = 2.0 * math.pi
DEGREE = math.pi / 180.0
# Petrol's usual density, kg/l: a fuel level in kilograms is shown in litres.
PETROL = 0.745


class UnknownUnit(Exception):
    """A unit that is not known, or does not measure what is wanted."""


@dataclass(frozen=True)
class Reading:
    """One way to read a spelling: SI value = value x ``factor`` + ``offset``, of a ``quantity``.

    ``written`` is ``minutes`` where degrees and minutes are written as one figure, ddmm.mmmm.
    """

    quantity: str
    factor: float
    offset: float = 0.0
    written: str = ""


# Quantities and the SI unit in which the core holds them.
SI = {
    "angle": "rad", "place": "deg", "turn_rate": "rad/s", "rotation": "rad/s", "speed": "m/s",
    "acceleration": "m/s^2", "length": "m", "share": "1", "temperature": "K", "pressure": "Pa", "time": "s",
    "voltage": "V", "volume": "m^3", "mass": "kg", "count": "1",
}  # fmt: skip

# What is measured, its factor to SI, and its spellings as :func:`_folded` leaves them. Quantities that no role has are
# listed too, so that a unit is known to speak against one.
_TABLE: tuple[tuple[str, float, str], ...] = (
    ("speed", 1.0, "m/s mps ms-1 m*s-1 m/sec meter/second meters/second metres/second"),
    ("speed", 1 / 3.6, "km/h kmh kmph kph km/hr k/h kmh-1 km*h-1 km/u kmu km/uur km/std kms/h kilometer/hour kmu-1"
                       " kilometers/hour kilometres/hour kmperh kilometerprostunde"),
    ("speed", mile / hour, "mph mi/h mi/hr mile/h miles/h miles/hour mile/hour mih-1 mls/h"),
    ("speed", knot, "kn kt kts knot knots nmi/h sm/h noeud noeuds nudos nodi knopen knoten"),
    ("speed", foot, "ft/s fps ft/sec fts-1 feet/s feet/second"),
    ("speed", 0.01, "cm/s cms-1"),
    ("speed", 0.001, "mm/s mms-1"),
    ("speed", 1 / 60, "m/min"),
    ("acceleration", GRAVITY, "g gs gn g0 gee grav gravity gforce g-force standardgravity gravities"),
    ("acceleration", GRAVITY * 1e-3, "mg millig"),
    ("acceleration", 1.0, "m/s2 m/s/s ms-2 m*s-2 mps2 m/sec2 meter/second2 meters/second2"),
    ("acceleration", 0.01, "cm/s2 gal"),
    ("acceleration", 1 / 3.6, "km/h/s kph/s kmh/s"),
    ("acceleration", mile / hour, "mph/s"),
    ("acceleration", foot, "ft/s2 ft/s/s ft/sec2"),
    ("angle", DEGREE, "deg degs degree degrees grad grade grados gradi degre degres graden graad winkelgrad"
                      " arcdeg"),
    ("angle", 1.0, "rad rads radian radians radianes radianti radiant radialen bogenmass"),
    ("angle", 1e-3, "mrad"),
    ("angle", DEGREE * 0.9, "gon"),
    ("angle", TURN, "turn turns rev revs umdrehung umdrehungen tour tours giro giri"),
    ("turn_rate", DEGREE, "deg/s dps degs-1 deg/sec degs/s degree/s degrees/s degree/second degrees/second grad/s"
                          " grad/sek grados/s gradi/s degres/s degre/s graden/s deg*s-1 deg/seg"),
    ("turn_rate", 1.0, "rad/s rads-1 rad/sec radian/s radians/s radian/second rad*s-1 radps rads/s"),
    ("turn_rate", 1e-3, "mrad/s"),
    ("turn_rate", DEGREE * 1e-3, "mdps"),
    ("turn_rate", DEGREE / 60, "deg/min"),
    ("turn_rate", DEGREE / 3600, "deg/h"),
    ("rotation", TURN / 60, "rpm 1/min min-1 /min u/min umin umin-1 u*min-1 umdr/min umdrehungen/min tr/min tr/mn"
                            " trs/mn trs/min tours/min tr*min-1 t/min tpm giri/min giri giri/1 g/min rev/min"
                            " revs/min r/min rpms omw/min toeren toeren/min tr toer/min vueltas/min vuelta/min"
                            " v/min revoluciones/min revolutions/min revolution/minute revolutions/minute upm"
                            " r*min-1 turn/min turns/min touren"),
    ("rotation", TURN, "hz 1/s s-1 rps rev/s r/s revs/s u/s tr/s turn/s umdr/s giri/s /s hertz"),
    ("rotation", 1.0, "rad/s rads-1 rad/sec radian/s radians/s radian/second rad*s-1"),
    ("rotation", TURN / 60 * 1000, "krpm tsdu/min ktr/min ku/min"),
    ("length", 1.0, "m meter meters metre metres metri metro metros mtr mtrs mts"),
    ("length", 1000.0, "km kms kilometer kilometers kilometre kilometres chilometri"),
    ("length", 0.01, "cm"),
    ("length", 0.001, "mm"),
    ("length", foot, "ft feet foot '"),
    ("length", inch, "in inch inches zoll pouce pollici \""),
    ("length", mile, "mi mile miles"),
    ("length", yard, "yd yds yard yards"),
    ("share", 0.01, "% pct pc percent percentage prozent proz pourcent pourcents porciento porcento porc percento"
                    " procent proc perc percents 0..100 0-100 0..100% 0-100% 0to100 0...100"),
    ("share", 0.001, "permille promille"),
    ("share", 1.0, "1 - ratio share 0..1 0-1 0to1 0...1 0.0..1.0 0.0-1.0 frac fraction norm normalized normalised unit"
                   " none n/a na nd n.a. unitless dimensionless adim adimensional pu p.u. peru rel nounit [-] -- anteil"
                   " fraktion aandeel rapport rapporto fraccion frazione verhoudingsgetal -/- ohne nan null"),
    ("share", 1 / 255.0, "0..255 0-255"),
    ("temperature", 1.0, "k kelvin degk kelvins"),
    ("pressure", 1e5, "bar bars barg bar(g) bargauge barrel"),
    ("pressure", 100.0, "mbar mbars millibar hpa mb hectopascal mbarg"),
    ("pressure", 1e4, "dbar"),
    ("pressure", 1.0, "pa pascal n/m2 pag"),
    ("pressure", 1000.0, "kpa kilopascal kn/m2 kpag"),
    ("pressure", 1e6, "mpa megapascal n/mm2 mpag"),
    ("pressure", psi, "psi psig lb/in2 lbs/in2 lbf/in2 lbf/sqin psi(g) lb/sqin pfd/in2 psis"),
    ("pressure", GRAVITY * 1e4, "kgf/cm2 kg/cm2 kp/cm2 at atue atu"),
    ("pressure", atm, "atm atms"),
    ("pressure", torr, "mmhg torr"),
    ("pressure", torr * 25.4, "inhg"),
    ("pressure", 249.089, "inh2o inwc"),
    ("time", 1.0, "s sec secs second seconds sek sekunde sekunden sek. seg segundo segundos secondi secondo seconde"
                  " secondes seconden"),
    ("time", 1e-3, "ms msec millis millisecond milliseconds millisekunden milisegundos millisecondes millisecondi"
                   " milliseconden"),
    ("time", 1e-6, "us usec microsecond microseconds mikrosekunden"),
    ("time", 1e-9, "ns nsec nanosecond nanoseconds"),
    ("time", 60.0, "min mins minute minutes minuten minuto minutos minuti"),
    ("time", 3600.0, "h hr hrs hour hours std stunden heure heures hora horas ore uur"),
    ("time", 86400.0, "d day days tage jours dias giorni dagen"),
    ("voltage", 1.0, "v volt volts vdc voltios"),
    ("voltage", 1e-3, "mv mvolt millivolt millivolts"),
    ("volume", 1e-3, "l lt ltr ltrs liter liters litre litres litro litros litri dm3"),
    ("volume", 1e-6, "ml cc cm3 ccm"),
    ("volume", 1.0, "m3"),
    ("volume", gallon, "gal gals gallon gallons usgal galus"),
    ("volume", 4.54609e-3, "impgal galuk galimp ukgal"),
    ("mass", 1.0, "kg kgs kilogram kilogramm kilo kilos"),
    ("mass", 1e-3, "gram grams gramm grammes"),
    ("mass", pound, "lb lbs pound pounds"),
    ("place", 1.0, "deg degs degree degrees grad grados gradi degre degres graden decdeg decimaldegrees ddeg"
                   " dd.dddddd dd.ddddd dd.dddd ddd.dddd degdec wgs84 degwgs84 decimaldeg dd"),
    ("place", 180.0 / math.pi, "rad rads radian radians"),
    ("place", 1 / 60.0, "min mins minute minutes arcmin arcminutes minutesofarc minuten bogenminuten '"),
    ("place", 1 / 3600.0, "arcsec arcseconds"),
    ("place", 1e-7, "dege7 e7deg e7 dege-7 deg*1e7 deg1e7 degx1e7 1e7deg degx10e7 deg*10e7 10e-7deg deg*1e-7 deg1e-7"
                    " degx1e-7 1e-7 1e7"),
    ("place", 1e-6, "dege6 udeg microdeg deg*1e6 e6 dege-6 deg1e6 deg*1e-6 microdegrees 1e6 1e-6"),
    ("place", 180.0 / 2**31, "semicircle semicircles sc semi"),
    # What no role is measured in.
    ("frequency", 1.0, "hz 1/s s-1 hertz cps"),
    ("frequency", 1000.0, "khz"),
    ("force", 1.0, "n newton newtons kn dan lbf kgf"),
    ("torque", 1.0, "nm n*m nmeter lbft ft*lb ftlb lb*ft lbf*ft kgfm kgm ftlbs"),
    ("power", 1.0, "w kw hp ps bhp cv pk ch whp mw"),
    ("energy", 1.0, "j kj mj kwh wh"),
    ("current", 1.0, "a ma amp amps ampere amperes"),
    ("flow", 1.0, "l/h l/min kg/h kg/s g/s l/s gal/h l/100km mpg km/l cc/min lb/h gph lph"),
    ("count", 1.0, "count counts cnt bit bits # nr no num number int index steps step adc raw digit digits lsb digi"
                   " bool boolean flag onoff on/off stk anzahl numero nombre aantal enum states state"),
    ("other", 1.0, "lambda afr db dba dbm ppm ohm kohm mohm lux lx nits stiffness n/mm kn/m nm/deg px char text string"
                   " deg/mm 1/m m-1 1/km rad/m rad/s2 deg/s2 dps2 rpm/s deg/g kg/m3 g/km hdop sat sats satellites"
                   " m/s3 ug utc gauss ut tesla strain ustrain um"),
)  # fmt: skip
# Temperatures have an offset; absolute pressures are turned into pressures over the surroundings'.
_OFFSET: tuple[tuple[str, float, float, str], ...] = (
    ("temperature", 1.0, 273.15, "c degc cdeg oc cels gradc celsius gradcelsius degcelsius gradoc gradosc gradic degrec"
                                 " degresc gradenc degsc centigrade degreec degreesc deg grad gradi grados"
                                 " graden degre"),
    ("temperature", 5 / 9, 273.15 - 32 * 5 / 9, "f degf fahrenheit gradf degfahrenheit degreef degreesf"),
    ("temperature", 0.1, 273.15, "ddegc decic"),
    ("pressure", 1e5, -atm, "bara bar(a) barabs bar(abs)"),
    ("pressure", 100.0, -atm, "mbara mbarabs hpaa"),
    ("pressure", 1000.0, -atm, "kpaa kpa(a) kpaabs"),
    ("pressure", psi, -atm, "psia psi(a) psiabs"),
)  # fmt: skip
_MINUTES = (
    "ddmm.mmmm ddmm.mmm ddmm.mm ddmm.mmmmm ddmm.mmmmmm dddmm.mmmm dddmm.mmmmm dddmm.mm ddmm dmm nmea degmin deg+min"
)
_SIGNS = str.maketrans({
    "°": "deg", "º": "deg", "˚": "deg", "℃": "degc", "℉": "degf", "²": "2", "³": "3", "⁻": "-", "¹": "1", "⁴": "4",
    "−": "-", "–": "-", "—": "-", "·": "*", "×": "*", "•": "*", "⋅": "*", "µ": "u", "μ": "u", "÷": "/", "∕": "/",
    "′": "'", "″": '"', "‰": "permille", "％": "%", "[": "", "]": "",
})  # fmt: skip
_TIMES = re.compile(
    r"^(?:(?:x|\*)?(?P<front>\d+(?:\.\d+)?(?:e[-+]?\d+)?)[*x]?(?P<a>[a-z%/].*)"
    r"|(?P<b>[a-z%/].*?)(?P<sign>[*x/])(?P<back>\d+(?:\.\d+)?(?:e[-+]?\d+)?))$"
)


# What stands below a stroke, and metres above one, in full.
_BELOW = (
    (r"\.(?=/)", ""), (r"/(?:seconds?|secs?|sek|seg|segundo|seconde|secondo)(?=2?$|/)", "/s"),
    (r"/(?:minutes?|minuten?|minuto|mins?\.?|1?')$", "/min"),
    (r"/(?:hours?|hrs?|stunde|std|hora|ora|heure|uur)$", "/h"), (r"^(?:met(?:er|re|ro)s?)(?=/)", "m"),
    (r"^kilomet(?:er|re)s?(?=/)", "km"), (r"^(?:foot|feet)(?=/)", "ft"),
)  # fmt: skip


def _ways(text: str) -> tuple[str, ...]:
    """A folded spelling, and what it is without its dots, hyphens and brackets, or what stands in them."""
    return (
        text,
        re.sub(r"(?<=[a-z])-(?=[a-z])", "*", text),
        re.sub(r"(?<=[a-z])-(?=[a-z])", "", text),
        text.replace("*", "").replace(".", ""),
        re.sub(r"[()]", "", text),
        re.sub(r"\(.*?\)", "", text),
        re.sub(r"^(d+\.d+)deg$", r"\1", text),
    )


def _folded(text: str) -> str:
    """A spelling without case, blanks, brackets and the many ways to write powers, products and "per"."""
    text = text.translate(_SIGNS).strip().lower()
    text = re.sub(r"10\s*(?:\^|\*\*)\s*(-?\d+)", r"1e\1", text)
    text = re.sub(r"(?<=[a-z])'(?=s\b)", "", text)
    text = "".join(c for c in unicodedata.normalize("NFKD", text) if not unicodedata.combining(c))
    text = re.sub(r"(?<=[a-z])\.(?=[a-z])|\s*\*\s*", "*", text) if "dd" not in text and "n.a" not in text else text
    text = re.sub(r"\s+(per|pro|par|por|al|a la|alla)\s+", "/", text)
    text = text.replace("**", "").replace("^", "").replace("{", "").replace("}", "")
    text = re.sub(r"[\s_\\$]+", "", text)
    for pattern, short in _BELOW:
        text = re.sub(pattern, short, text)
    if re.fullmatch(r"\(.*\)", text):
        text = text[1:-1]
    return text.replace("(g)", "g").replace("(a)", "a") if text[:3] in ("bar", "psi", "kpa") else text


@cache
def _spellings() -> dict[str, tuple[Reading, ...]]:
    found: dict[str, list[Reading]] = {}
    for quantity, factor, words in _TABLE:
        for word in words.split():
            found.setdefault(word, []).append(Reading(quantity, factor))
    for quantity, factor, offset, words in _OFFSET:
        for word in words.split():
            found.setdefault(word, []).append(Reading(quantity, factor, offset))
    for word in _MINUTES.split():
        found[word] = [Reading("place", 1.0, 0.0, "minutes")]
    return {word: tuple(readings) for word, readings in found.items()}


@cache
def readings(spelling: str) -> tuple[Reading, ...]:
    """All ways to read a unit's spelling, the likeliest first; empty where it is not known.

    Parameters
    ----------
    spelling : as a file writes it; nothing at all reads as a share or a count
    """
    text = _folded(spelling)
    if not text:
        return (Reading("share", 1.0), Reading("count", 1.0))
    for way in _ways(text):
        known = _spellings().get(way)
        if known is not None:
            return known
    match = _TIMES.match(text)
    if match is None:
        return ()
    inner = match["a"] or match["b"]
    times = float(match["front"] or match["back"])
    inside = [r for r in _spellings().get(inner, ()) if not r.written]
    if times == 0 or not inside:
        return ()
    # "rpm x1000" counts thousands, as dials do; "bar*10" and "deg*1e7" say what the figure was multiplied by.
    if match["sign"] and (match["sign"] == "/" or (times > 1 and inside[0].quantity != "rotation")):
        times = 1 / times
    return tuple(replace(reading, factor=reading.factor * times) for reading in inside)


def reading_of(spelling: str, quantities: tuple[str, ...]) -> Reading | None:
    """The way to read a spelling that measures one of some quantities, or None."""
    return next((r for wanted in quantities for r in readings(spelling) if r.quantity == wanted), None)


def into_si(values: Array, reading: Reading) -> Array:
    """Values (n,) as written, in SI units."""
    if reading.written == "minutes":
        whole = np.trunc(values / 100.0)
        return np.asarray(whole + (values - 100.0 * whole) / 60.0)
    if reading.factor == 1.0 and reading.offset == 0.0:
        return values
    return np.asarray(values * reading.factor + reading.offset)
