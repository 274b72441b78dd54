"""A study as text for people."""

from lauftakt.core.findings.ranking import elsewhere
from lauftakt.core.findings.words import metric, tell
from lauftakt.offline.study import Entry, Study, conditions_of_entry


def clock(seconds: float) -> str:
    """Minutes, seconds and thousandths: 1:54.219."""
    thousandths = round(seconds * 1000)
    return f"{thousandths // 60000}:{thousandths % 60000 / 1000:06.3f}"


def summary(study: Study) -> str:
    """What was read, who was how fast, and the findings put forward, as lines of text."""
    layout = study.layout
    base = study.entries[study.reference]
    sectors = ", ".join(f"{s:.0f} m" for s in layout.splits_m)
    lines = [
        f"{layout.name}: {layout.length:.0f} m, {len(layout.corners)} corners, splits at {sectors}",
        f"Reference: {base.driver}, lap {study.reference_lap}",
        *_other_references(study),
        "",
    ]
    width = max(len(entry.driver[:28]) for entry in study.entries)
    for entry in study.entries:
        name = f"{entry.driver[:28]:{width}s}"
        if entry.run is None:
            lines.append(f"{name}  not used: {entry.error}")
            continue
        best, counting = entry.run.best_lap, len(entry.run.counting)
        if best is None or best.time_s is None:
            lines.append(f"{name}  no lap that counts")
        else:
            theory = entry.run.theoretical_best_s() or best.time_s
            lines.append(
                f"{name}  best {clock(best.time_s)} (lap {best.number}, ± {best.time_u_s or 0:.3f} s)   "
                f"theoretical best {clock(theory)}   {counting} laps count"
            )
        lines += [f"{'':{width}s}    note: {warning.message}" for warning in entry.warnings]
    told = [finding for finding in study.findings if finding.put_forward]
    if told:
        lines += ["", "Where time is lost:"]
        lines += [
            f"  {metric(tell(finding, study.reference_driver(finding), elsewhere(finding, study.findings)))}"
            for finding in told
        ]
    nothing = [entry.driver for entry in _judged(study) if all(finding.driver != entry.driver for finding in told)]
    if nothing:
        lines += ["", f"Nothing worth a run: {', '.join(dict.fromkeys(nothing))}."]
    kept = [finding for finding in study.strengths if finding.put_forward]
    if kept:
        lines += ["", "Where time is won:"]
        lines += [f"  {metric(tell(finding, study.reference_driver(finding)))}" for finding in kept]
    return "\n".join(lines)


def _other_references(study: Study) -> list[str]:
    """Whom runs in other conditions than the reference's are measured against."""
    others = {
        conditions_of_entry(study.entries[run]): study.entries[index].driver
        for run, index in study.references.items()
        if index != study.reference
    }
    return [f"Reference in the {conditions}: {driver}" for conditions, driver in others.items()]


def _judged(study: Study) -> list[Entry]:
    """Runs with laps to judge their driver by."""
    return [entry for entry in study.entries if entry.run is not None and entry.run.counting]
