"""What days, cars and drivers each do to a pace: told apart by those who drove on several days and in several cars."""

from collections import Counter
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtr, stdtrit

from lauftakt.core.debrief.change import FAR, PRIOR_FREEDOM

Array = NDArray[np.float64]

# By how much a run as a whole lies off, as a share of the pace, before a season tells: what is believed to begin with.
RUN_EFFECT = 0.0035
# Of two-sided intervals.
CONFIDENCE = 0.95
# A combination that lies outside of what was driven by more than this cannot be told.
TOLD = 1e-6
# Smaller against the largest, a direction is one that no row tells.
SINGULAR = 1e-11
ROUNDS = 12


@dataclass(frozen=True)
class Driven:
    """One run's pace.

    Attributes
    ----------
    driver, day, car : names of any kind; ``day`` tells conditions apart, too, ``car`` its tyres
    order : of the day among all, the earlier the smaller
    pace_s : median time, s
    doubt_s : its standard deviation, s
    tried : whether this run was driven after an exercise, or whatever is to be judged
    """

    driver: Hashable
    day: Hashable
    car: Hashable
    order: int
    pace_s: float
    doubt_s: float
    tried: bool = False


@dataclass(frozen=True)
class Effect:
    """A share of the pace, positive where slower, with its 95 % interval; ``likely``: how likely so much or more would
    be either way if there were none. ``by`` is how many drivers tell of it."""

    share: float
    low: float
    high: float
    likely: float
    by: int

    @property
    def clear(self) -> bool:
        """Whether it is more than chance, looked at alone."""
        return self.low > 0.0 or self.high < 0.0


@dataclass(frozen=True)
class Common:
    """What was told apart.

    Attributes
    ----------
    days : against the first day, those of which it can be told
    cars : against the one driven most
    drivers : change of a driver from the own first day to the last, after days and cars
    tried : what the exercise did
    anchored : drivers who were taken to stay as they are, by whom days are told
    scatter : standard deviation by which a run lies off by itself, as a share
    freedom : degrees of freedom of its doubt
    first, usual : the day and the car that others are told against
    """

    days: Mapping[Hashable, Effect]
    cars: Mapping[Hashable, Effect]
    drivers: Mapping[Hashable, Effect]
    tried: Effect | None
    anchored: tuple[Hashable, ...]
    scatter: float
    freedom: float
    first: Hashable
    usual: Hashable


def common_of(runs: Sequence[Driven], anchors: frozenset[Hashable] = frozenset()) -> Common | None:
    """Tell apart what days (grip, weather), cars and drivers did to the pace.

    Parameters
    ----------
    runs : of one layout
    anchors : drivers of whom it is known that they stay as they are (instructors); those of them who drove on several
        days tell what a day did. Without any, what all gained together cannot be told from grip: then each driver's
        change is told against the mean of all who drove on the same days.

    Returns
    -------
    None for fewer than two runs.

    Notes
    -----
    An additive model of the logarithm of the pace with terms for driver, day and car, and for each driver a change that
    goes on evenly over the season's days (the analysis of covariance for unbalanced tables; Searle, "Linear
    Models for Unbalanced Data", 1987). Weights follow what each median leaves open and by how much runs lie off by
    themselves; runs that stand far off count less (Huber, "Robust Statistics", 1981). What the drives cannot tell - a
    day or a car that nobody shares with others - is not told: its combination of terms lies outside of the rows'
    space. Since a school has few runs, how far a run lies off is believed to be a third of a percent to begin with, as
    firmly as five degrees of freedom tell (a conjugate prior, as in :mod:`lauftakt.core.debrief.change`).
    """
    if len(runs) < 2:
        return None
    model = _Model.of(runs, anchors)
    pace = np.log([run.pace_s for run in runs])
    sampling = np.array([(run.doubt_s / run.pace_s) ** 2 for run in runs])
    between, weights = RUN_EFFECT**2, np.ones(len(runs))
    for _ in range(ROUNDS):
        fit = _solved(model.columns, pace, weights / (sampling + between))
        away = pace - model.columns @ fit.terms
        size = np.sqrt(sampling + between)
        weights = np.minimum(1.0, FAR / np.maximum(np.abs(away) / size, 1e-12))
        own = float(np.clip(away**2 - sampling * (1.0 - fit.lever), -(size**2), (FAR * size) ** 2).sum())
        freedom = max(len(runs) - fit.rank, 0)
        between = (PRIOR_FREEDOM * RUN_EFFECT**2 + max(own, 0.0)) / (PRIOR_FREEDOM + freedom)
    return _told(runs, model, fit, float(np.sqrt(between)), PRIOR_FREEDOM + freedom)


@dataclass(frozen=True)
class _Model:
    """Columns of the terms, (runs, terms), and where those of each kind are.

    ``along`` is how far the season has gone by each day, 0 to 1; a driver's change is that over the whole season,
    ``share`` the part of it that falls between the own first and last day.
    """

    columns: Array
    days: dict[Hashable, int]
    cars: dict[Hashable, int]
    changes: dict[Hashable, int]
    tried: int | None
    along: dict[Hashable, float]
    share: dict[Hashable, float]
    anchored: tuple[Hashable, ...]
    first: Hashable
    usual: Hashable

    @classmethod
    def of(cls, runs: Sequence[Driven], anchors: frozenset[Hashable]) -> "_Model":
        orders = sorted({run.order for run in runs})
        whole = max(len(orders) - 1.0, 1.0)
        place = {order: index / whole for index, order in enumerate(orders)}
        along = {run.day: place[run.order] for run in sorted(runs, key=lambda run: run.order)}
        counts = Counter(run.car for run in runs)
        cars = [car for car, _ in counts.most_common()]
        share: dict[Hashable, float] = {}
        for driver in dict.fromkeys(run.driver for run in runs):
            own = [place[run.order] for run in runs if run.driver == driver]
            share[driver] = max(own) - min(own)
        anchored = tuple(driver for driver in share if driver in anchors and share[driver] > 0.0)
        changing = [driver for driver in share if share[driver] > 0.0 and driver not in anchored]
        tried = len({run.tried for run in runs}) == 2
        days = list(along)
        at, places = 0, []
        for names in (list(share), days[1:], cars[1:], changing):
            places.append({name: at + index for index, name in enumerate(names)})
            at += len(names)
        columns = np.zeros((len(runs), at + tried))
        for row, run in enumerate(runs):
            columns[row, places[0][run.driver]] = 1.0
            for name, where in ((run.day, places[1]), (run.car, places[2])):
                if name in where:
                    columns[row, where[name]] = 1.0
            if run.driver in places[3]:
                columns[row, places[3][run.driver]] = place[run.order]
            if tried:
                columns[row, at] = float(run.tried)
        return cls(
            columns, places[1], places[2], places[3], at if tried else None, along, share, anchored, days[0], cars[0]
        )


@dataclass(frozen=True)
class _Fit:
    """Terms, their covariance, a projector on what the rows tell, and how far each row tells of itself."""

    terms: Array
    covariance: Array
    told: Array
    lever: Array
    rank: int

    def effect(self, places: Mapping[int, float], freedom: float, by: int) -> Effect | None:
        """A combination of terms; None where the rows do not tell it."""
        wanted = np.zeros(len(self.terms))
        for place, share in places.items():
            wanted[place] += share
        if not np.allclose(self.told @ wanted, wanted, rtol=0.0, atol=TOLD):
            return None
        value = float(wanted @ self.terms)
        u = max(float(wanted @ self.covariance @ wanted), 0.0) ** 0.5
        reach = float(stdtrit(freedom, (1.0 + CONFIDENCE) / 2.0)) * u
        likely = 2.0 * float(stdtr(freedom, -abs(value) / u)) if u > 0.0 else 1.0
        share, low, high = (float(np.expm1(each)) for each in (value, value - reach, value + reach))
        return Effect(share, low, high, likely, by)


def _solved(columns: Array, values: Array, weights: Array) -> _Fit:
    """Weighted least squares of least length."""
    scaled = columns * np.sqrt(weights)[:, None]
    sizes, vectors = np.linalg.eigh(scaled.T @ scaled)
    known = sizes > sizes[-1] * SINGULAR
    sizes, vectors = sizes[known], vectors[:, known]
    covariance = (vectors / sizes) @ vectors.T
    terms = covariance @ (columns.T @ (values * weights))
    lever = ((scaled @ covariance) * scaled).sum(axis=1)
    return _Fit(terms, covariance, vectors @ vectors.T, lever, int(known.sum()))


def _told(runs: Sequence[Driven], model: _Model, fit: _Fit, scatter: float, freedom: float) -> Common:
    days_of, cars_of = _sets(runs, "day"), _sets(runs, "car")
    # Without anybody who stays as they are a common gain may be grip: the mean of all changes is taken for it.
    changes = model.changes
    mean = {} if model.anchored else {place: 1.0 / len(changes) for place in changes.values()}
    days, cars, drivers = {}, {}, {}
    for day, place in model.days.items():
        by = sum(day in own and len(own) > 1 for own in days_of.values())
        gone = {each: share * model.along[day] for each, share in mean.items()}
        days[day] = fit.effect({place: 1.0} | gone, freedom, by)
    for car, place in model.cars.items():
        by = sum(car in own and len(own) > 1 for own in cars_of.values())
        cars[car] = fit.effect({place: 1.0}, freedom, by)
    by = len(model.anchored) or len(changes) - 1
    for driver, place in changes.items():
        own = {each: -share for each, share in mean.items()}
        own[place] = own.get(place, 0.0) + 1.0
        if by > 0:
            drivers[driver] = fit.effect({each: part * model.share[driver] for each, part in own.items()}, freedom, by)
    tried = None
    if model.tried is not None:
        tried = fit.effect({model.tried: 1.0}, freedom, len({run.driver for run in runs if run.tried}))
    return Common(
        days=_known(days), cars=_known(cars), drivers=_known(drivers), tried=tried, anchored=model.anchored,
        scatter=scatter, freedom=freedom, first=model.first, usual=model.usual,
    )  # fmt: skip


def _known(found: Mapping[Hashable, Effect | None]) -> dict[Hashable, Effect]:
    return {name: effect for name, effect in found.items() if effect is not None}


def _sets(runs: Sequence[Driven], name: str) -> dict[Hashable, set[Hashable]]:
    """Days or cars of each driver."""
    found: dict[Hashable, set[Hashable]] = {}
    for run in runs:
        found.setdefault(run.driver, set()).add(getattr(run, name))
    return found
