"""On paper: all sheets of a day in one file, an empty sheet for notes at the track, and a day's summary."""

from collections import Counter
from collections.abc import Sequence
from datetime import date
from statistics import median
from typing import Any

from flask import Response
from sqlalchemy.orm import Session, joinedload

from lauftakt.core.season.kinds import KINDS
from lauftakt.core.season.lying import lying_of
from lauftakt.formats.map_sheet import Spot, map_picture
from lauftakt.formats.sheets import set_sheet
from lauftakt.formats.spoken import Reader
from lauftakt.store.layouts import load_layout
from lauftakt.store.models import Debrief, Event, Job, LayoutRow, Run, Team
from lauftakt.store.season import SeasonRun
from lauftakt.web import show
from lauftakt.web.access import Problem, curve_cache, database, only
from lauftakt.web.beside import begin
from lauftakt.web.debrief import sheet
from lauftakt.web.debrief.files import as_papers
from lauftakt.web.debrief.seeing import day_of, with_marks
from lauftakt.web.givers import settings_of_app
from lauftakt.web.paper import lap_time
from lauftakt.web.policy import Viewer, one, visible
from lauftakt.web.schemas import JobOut
from lauftakt.web.schemas import season as schemas
from lauftakt.web.season.days import day_course
from lauftakt.web.season.school import day_runs
from lauftakt.web.season.seeing import drivers_of, ground_of, season_of
from lauftakt.web.season.views import blueprint
from lauftakt.work.exporting import export_path
from lauftakt.work.jobs import Claim, add_job
from lauftakt.work.queue import send
from lauftakt.work.sources import Report

# Laps are told apart from chance beyond so many standard deviations.
SURE = 2.0
STAGES = {
    "waiting": "wait for the next run", "open": "not reached yet", "reached": "reached", "kept": "kept",
    "lost_again": "lost again", "came_back": "came back", "cannot_judge": "cannot be judged",
}  # fmt: skip
KIND_NAMES = {
    "slow": "slow corners",
    "ordinary": "ordinary corners",
    "fast": "fast corners",
    "linked": "linked corners",
    "crest": "corners over a crest",
}


@blueprint.post("/season/days/<int:event_id>/sheets")
@only("see-team")
@blueprint.input(schemas.DaySheetsAsked)
@blueprint.output(JobOut, status_code=202)
def make_sheets(viewer: Viewer, event_id: int, json_data: schemas.DaySheetsAsked) -> JobOut:
    """All debriefs that were given on a day, as one file: a page for each run, in the order of the drivers' names.

    Begins the work, which is followed at ``/api/jobs/ID``.
    """
    with database().begin() as session:
        event = one(session, Event, viewer, event_id)
        if not _debriefs(session, viewer, event):
            raise Problem(409, "no-sheets", "No debrief of this day was given yet. Give one under Debrief first.")
        job = add_job(
            session, viewer.team_id, "sheets", ("event", event.id), payload={"units": json_data.units},
            account_id=viewer.account_id,
        )  # fmt: skip
    begin(job.id)
    with database().begin() as session:
        return show.job(session.get_one(Job, job.id))


def write_sheets(viewer: Viewer, ours: Claim, report: Report) -> dict[str, Any]:
    """Write the sheets of a day into the folder of exports; what is told of it.

    Raises
    ------
    lauftakt.work.sources.Cancelled
    """
    with database().begin() as session:
        event = one(session, Event, viewer, ours.subject_id)
        rows = _debriefs(session, viewer, event)
        day = day_of(session, viewer.team_id, event.id, want=False)
        reader = Reader(ours.payload["units"])
        sheets = []
        for number, row in enumerate(rows):
            report(number / (len(rows) + 1), "writing")
            sheets.append(sheet.content(session, row, day, reader, given=True))
        data, name = as_papers(sheets), f"debriefs-{event.day}.pdf"
    report(0.95, "writing")
    path = export_path(settings_of_app().exports, ours.job_id)
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_suffix(".part")
    part.write_bytes(data)
    part.replace(path)
    return {"name": name, "type": "application/pdf"}


def _debriefs(session: Session, viewer: Viewer, event: Event) -> list[Debrief]:
    query = visible(Debrief, viewer).join(Run, Run.id == Debrief.run_id).where(Run.event_id == event.id)
    query = query.where(Debrief.given_at.is_not(None)).options(joinedload(Debrief.driver), joinedload(Debrief.run))
    rows = [row for row in session.scalars(query) if row.run is not None]
    return sorted(rows, key=lambda row: (row.driver.name, row.run.started_at is None, row.run.started_at, row.id))  # type: ignore[union-attr]


@blueprint.get("/layouts/<int:layout_id>/notes-sheet")
@only("see-team")
@blueprint.input(schemas.NotesPaperQuery, location="query")
@blueprint.doc(responses={200: "PDF"})
def get_notes_sheet(viewer: Viewer, layout_id: int, query_data: schemas.NotesPaperQuery) -> Response:
    """An empty sheet for a pen at the track: the map, and a line for each passage and for what a coach writes down."""
    with database().begin() as session:
        row = one(session, LayoutRow, viewer, layout_id)
        if row.current_id is None:
            raise Problem(409, "sketch", "This circuit is only a sketch until its first run comes.")
        layout = load_layout(session, row.current_id, None, curve_cache().layouts)
        layout = with_marks(session, row, layout)
        spots = [Spot("corner", c.name.removeprefix("T"), c.apex_m, direction=c.direction) for c in layout.corners]
        spots += [Spot("mark", name, place) for name, place in layout.marks]
        reader = Reader(query_data.units)
        data = {
            "title": row.name,
            "team": session.get_one(Team, viewer.team_id).name,
            "head": ["Driver", "Car", "Tyres", "Day and run", "Road and weather"],
            "columns": ["Corner", f"Apex, {reader.unit('distance')}", "Braking", "Slowest part", "Way out", "Felt"],
            "rows": [
                [" ".join(passage.corners) or passage.name, _apex(layout, passage.corners, reader)]
                for passage in layout.passages
            ],
            "foot": ["Keep", "Work on", "Times"],
        }
        picture = map_picture(layout, row.heading_deg or 0.0, spots)
    return _file(set_sheet("notes", data, {"map.svg": picture}, "pdf"), f"notes-{layout_id}.pdf")


def _apex(layout: Any, corners: Sequence[str], reader: Reader) -> str:
    places = [corner.apex_m for corner in layout.corners if corner.name in corners]
    return ", ".join(reader.figure(place, "distance", unit=False) for place in places)


@blueprint.get("/season/days/<int:event_id>/summary")
@only("see-team")
@blueprint.input(schemas.DayPaperQuery, location="query")
@blueprint.doc(responses={200: "PDF"})
def get_summary(viewer: Viewer, event_id: int, query_data: schemas.DayPaperQuery) -> Response:
    """A day for the school on one page. No driver is compared by name, unless it is asked for."""
    with database().begin() as session:
        event = one(session, Event, viewer, event_id)
        season = season_of(session, viewer)
        data = summary(session, viewer, event, season.runs, Reader(query_data.units), names=query_data.names)
    if season.job is not None:
        send([season.job])
    return _file(set_sheet("summary", data, {}, "pdf"), f"summary-{event.day}.pdf")


def summary(
    session: Session, viewer: Viewer, event: Event, whole: Sequence[SeasonRun], reader: Reader, *, names: bool
) -> dict[str, Any]:
    """A day's summary as text. Drivers are named only where ``names`` says so."""
    runs = [run for run in whole if run.event == event.id]
    anchors = frozenset(each.id for each in drivers_of(session, viewer).values() if each.reference_only)
    course, _ = day_course(session, viewer, event.id)
    asked = [cue for driver in course.drivers for run in driver.runs for cue in run.given]
    checked = [check for driver in course.drivers for run in driver.runs for check in run.checked]
    lying = _lying(session, viewer, event, runs, anchors, reader)
    return {
        "title": f"{event.layout.name}: {event.name}",
        "team": session.get_one(Team, viewer.team_id).name,
        "about": f"{date.fromisoformat(event.day):%-d %B %Y}",
        "figures": _figures(runs),
        "parts": [
            part
            for part in (
                ["Where students lose time to the day's quickest", lying],
                ["From the first run of the day to the last", _gained(runs, anchors, reader)],
                ["Asked for", _counted(Counter(c.target.label for c in asked if c.kind == "cue"))],
                ["What became of what was asked before",
                 _counted(Counter(STAGES[check.stage] for check in checked if check.cue.kind == "cue"))],
            )
            if part[1]
        ],
        "columns": ["Driver", "Runs", "Laps", "Best", "Median", "Spread, s", "Cues"] if names else [],
        "rows": [_row(driver) for driver in course.drivers] if names else [],
        "note": "" if names else "Nobody is compared by name on this page.",
    }  # fmt: skip


def _figures(runs: Sequence[SeasonRun]) -> list[list[str]]:
    hours = sum(run.duration_s or 0.0 for run in runs) / 3600.0
    return [
        ["Drivers", str(len({run.driver for run in runs}))],
        ["Runs", str(len(runs))],
        ["Laps", str(sum(run.laps_all for run in runs))],
        ["Laps that count", str(sum(run.laps for run in runs))],
        ["Hours driven", f"{hours:.1f}" if hours else "–"],
    ]


def _lying(
    session: Session, viewer: Viewer, event: Event, runs: Sequence[SeasonRun], anchors: frozenset[int], reader: Reader
) -> list[list[str]]:
    ground = ground_of(session, viewer, event.layout_id, runs)
    if ground is None or ground.kinds is None:
        return []
    kinds, _ = lying_of(day_runs(runs, anchors, ground), ground.kinds.of)
    return [
        [
            f"{KIND_NAMES[one.name]} ({one.passages})",
            f"{reader.figure(one.loss_s, 'time')} a lap, {one.low_s:.2f} to {one.high_s:.2f}".replace("-", "−"),
        ]
        for one in kinds
        if one.name in KINDS
    ]


def _gained(runs: Sequence[SeasonRun], anchors: frozenset[int], reader: Reader) -> list[list[str]]:
    """How many students were quicker in their last run than in their first, in one trim, beyond doubt."""
    clear, all_of, gains = 0, 0, []
    for driver in dict.fromkeys(run.driver for run in runs if run.driver not in anchors):
        own = [run for run in runs if run.driver == driver and run.pace is not None and run.pace.lap is not None]
        own = [run for run in own if run.setting.trim == own[-1].setting.trim]
        if len(own) < 2:
            continue
        first, last = own[0].pace.lap, own[-1].pace.lap  # type: ignore[union-attr]
        if first is None or last is None or first.doubt_s is None or last.doubt_s is None:
            continue
        gain = first.median_s - last.median_s
        all_of += 1
        gains.append(gain)
        clear += gain > SURE * float((first.doubt_s**2 + last.doubt_s**2) ** 0.5)
    if not gains:
        return []
    middle = median(gains)
    word = "quicker" if middle > 0 else "slower"
    return [
        [f"{clear} of {all_of} students", "quicker in the median lap than laps scatter"],
        ["Median of all", f"{reader.figure(abs(middle), 'time')} {word}; the road's own change is in it"],
    ]


def _counted(found: Counter[str]) -> list[list[str]]:
    return [[name, str(count)] for name, count in found.most_common()]


def _row(driver: schemas.CourseDriver) -> list[str]:
    best = min((run.best_s for run in driver.runs), default=None)
    last = driver.runs[-1] if driver.runs else None
    return [
        driver.driver.name,
        str(len(driver.runs)),
        str(sum(run.laps for run in driver.runs)),
        lap_time(best),
        lap_time(None if last is None else last.median_s),
        "–" if last is None or last.spread_s is None else f"{last.spread_s:.2f}",
        str(sum(cue.kind == "cue" for run in driver.runs for cue in run.given)),
    ]


def _file(made: bytes, name: str) -> Response:
    answer = Response(made, mimetype="application/pdf")
    answer.headers.set("Content-Disposition", "attachment", filename=name)
    return answer
