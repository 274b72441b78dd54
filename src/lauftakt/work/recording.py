"""Records a simulator's stream into runs, lap by lap, by itself while the car moves.

The recorder is told packets and the time; it opens no socket and no database, so that it can be tested alone. What has
arrived is on the disk after every lap: a recorder that was killed hands in what it had when it starts again.
"""

from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import IO

from lauftakt.core.log.roles import ROLES
from lauftakt.formats.packets import CHANNELS, Sample
from lauftakt.formats.tables import comment_line, row_line

MOVING_KMH = 5.0
BEGIN_S = 1.0
STANDING_S = 8.0
SILENT_S = 6.0
LATE_S = 10.0
SPOOL = ".stream"


@dataclass
class Recorder:
    """State of one recording.

    ``folder`` keeps the spool; ``finished`` holds files of runs that ended and wait to be handed in.
    """

    folder: Path
    driver: str | None = None
    state: str = "waiting"
    laps: list[tuple[int, float | None]] = field(default_factory=list)
    packets: int = 0
    lost: int = 0
    finished: list[Path] = field(default_factory=list)
    labels: dict[str, str] = field(default_factory=dict)
    _file: IO[str] | None = None
    _path: Path | None = None
    _last: Sample | None = None
    _heard: float = 0.0
    _moving_since: float | None = None
    _moved: float = 0.0
    _lap: int = 0
    _lap_began: float | None = None

    def label(self, labels: dict[str, str]) -> None:
        """Who drives what, as the simulator says; used for the runs that begin after it."""
        self.labels = labels

    def take(self, sample: Sample, now: float) -> None:
        """One sample, and the time of its arrival in seconds of any steady clock.

        Moving and standing are judged by the simulator's clock, silence by ours.
        """
        self.packets += 1
        last = self._last
        if last is not None and (sample.run != last.run or sample.time < last.time - LATE_S):
            self.end()  # the simulator was started anew
            last = None
        if last is not None and sample.number <= last.number:
            return  # late or twice
        if last is not None:
            self.lost += sample.number - last.number - 1
        self._last, self._heard = sample, now
        if sample.speed >= MOVING_KMH:
            self._moved = sample.time
            self._moving_since = sample.time if self._moving_since is None else self._moving_since
        elif self._file is None:
            self._moving_since = None
        if self._file is None:
            self.state = "standing"
            if self._moving_since is not None and sample.time - self._moving_since >= BEGIN_S:
                self._begin(sample)
        if self._file is not None:
            self._write(sample)
            if sample.time - self._moved > STANDING_S:
                self.end()

    def tick(self, now: float) -> None:
        """Called now and then also while nothing arrives."""
        if self._file is not None and now - self._heard > SILENT_S:
            self.end()
        if self._file is None and (self._last is None or now - self._heard > SILENT_S):
            self.state = "waiting"

    def end(self) -> None:
        """Close the run that is being recorded, if there is one."""
        if self._file is not None and self._path is not None:
            self._file.close()
            done = self._path.with_suffix(".csv")
            self._path.replace(done)
            self.finished.append(done)
        self._file = self._path = None
        self._moving_since = None
        self.state = "waiting"

    def _begin(self, sample: Sample) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        began = datetime.now(UTC)
        self._path = self.folder / f"{began:%Y-%m-%d-%H%M%S}-{sample.run}{SPOOL}"
        self._file = self._path.open("w", encoding="utf-8", newline="")
        meta = {**self.labels, **({"driver": self.driver} if self.driver else {}), "date": began.isoformat()}
        for key, value in meta.items():
            self._file.write(f"{comment_line(key, value)}\n")
        head = ["time [s]", *(f"{ROLES[name].header} [{ROLES[name].assumed}]" for name in CHANNELS), "lap [1]"]
        self._file.write(f"{row_line(head)}\n")
        self.state, self.laps = "recording", []
        self._lap, self._lap_began = sample.lap, None

    def _write(self, sample: Sample) -> None:
        assert self._file is not None
        if sample.lap != self._lap:
            time = None if self._lap_began is None else sample.time - self._lap_began
            self.laps.append((self._lap, time))
            self._lap, self._lap_began = sample.lap, sample.time
            self._file.flush()  # lap by lap: what was driven is on the disk
        values = (f"{getattr(sample, name):.9g}" for name in CHANNELS)
        self._file.write(f"{sample.time:.4f},{','.join(values)},{sample.lap}\n")


def left_over(folder: Path) -> list[Path]:
    """Recordings that were not handed in, because the recorder was stopped in the middle."""
    for path in sorted(folder.glob("*" + SPOOL)):
        path.replace(path.with_suffix(".csv"))
    return sorted(folder.glob("*.csv"))
