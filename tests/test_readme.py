"""What the README shows works."""

import re
import shutil
from pathlib import Path

import pytest

from tests.day import Day

README = Path(__file__).parent.parent / "README.md"


def test_the_ten_lines(
    day: Day, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    shutil.copy(day.files[0], tmp_path / "halvard.csv")
    shutil.copy(day.files[1], tmp_path / "ines.csv")
    monkeypatch.chdir(tmp_path)
    code = re.search(r"```python\n(.*?)```", README.read_text(), re.DOTALL).group(1)
    exec(code, {})
    gap = day.truth[1]["lap_times_s"], day.truth[0]["lap_times_s"]
    said = float(capsys.readouterr().out.split(" s;")[0])
    assert said == pytest.approx(min(gap[0]) - min(gap[1]), abs=0.05)


def test_links_lead_somewhere() -> None:
    for target in re.findall(r"\]\(([^)#]+)\)", README.read_text()):
        assert (README.parent / target).exists(), target
