"""The certificate for phones: made anew where it would not be believed."""

import ssl
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from cryptography import x509

from lauftakt.operate import certificate as certificates
from lauftakt.operate.certificate import DAYS, RENEW_DAYS, make_certificate
from lauftakt.operate.stack import How, Stack


def at(monkeypatch: pytest.MonkeyPatch, ahead: timedelta) -> None:
    class Clock(datetime):
        @classmethod
        def now(cls, tz: object = None) -> datetime:  # type: ignore[override]
            return datetime.now(UTC) + ahead

    monkeypatch.setattr(certificates, "datetime", Clock)


def is_pair(folder: Path) -> bool:
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    try:
        context.load_cert_chain(folder / "certificate.pem", folder / "key.pem")
    except ssl.SSLError:
        return False
    return True


def test_it_is_kept_while_it_holds(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path, key = make_certificate(tmp_path, ["127.0.0.1", "192.0.2.7"])
    made = path.read_bytes()
    assert make_certificate(tmp_path, ["192.0.2.7"])[0].read_bytes() == made
    assert key.stat().st_mode & 0o777 == 0o600
    # A clock that is set back by a day, or goes on for half a year, changes nothing.
    for ahead in (-timedelta(days=1), timedelta(days=180)):
        at(monkeypatch, ahead)
        assert make_certificate(tmp_path, ["127.0.0.1"])[0].read_bytes() == made


@pytest.mark.parametrize("ahead", [timedelta(days=DAYS + 1), timedelta(days=DAYS - RENEW_DAYS + 1), -timedelta(days=3)])
def test_one_that_ran_out_ends_soon_or_does_not_count_yet_is_made_anew(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, ahead: timedelta
) -> None:
    path, _ = make_certificate(tmp_path, ["127.0.0.1"])
    made = path.read_bytes()
    at(monkeypatch, ahead)
    make_certificate(tmp_path, ["127.0.0.1"])
    assert path.read_bytes() != made
    found = x509.load_pem_x509_certificate(path.read_bytes())
    assert found.not_valid_before_utc < datetime.now(UTC) + ahead < found.not_valid_after_utc
    assert is_pair(tmp_path)


def truncate(path: Path) -> None:
    path.write_bytes(path.read_bytes()[:80])


def another_pairs(path: Path) -> None:
    other = path.parent / "other"
    make_certificate(other, ["127.0.0.1"])
    path.write_bytes((other / path.name).read_bytes())


@pytest.mark.parametrize("name", ["certificate.pem", "key.pem"])
@pytest.mark.parametrize("spoil", [truncate, another_pairs, Path.unlink])
def test_half_a_pair_is_made_anew(tmp_path: Path, name: str, spoil: Callable[[Path], None]) -> None:
    """As it is left where the power went in the middle of it: the server would not start."""
    make_certificate(tmp_path, ["127.0.0.1"])
    spoil(tmp_path / name)
    make_certificate(tmp_path, ["127.0.0.1"])
    assert is_pair(tmp_path)


def test_a_stack_renews_it_while_it_runs(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    stack, said = Stack(tmp_path, How(lan=True)), []
    path, _ = stack._certificate()
    made = path.read_bytes()
    stack.watch(said.append)
    stack._next_certificate = 1e-9
    stack.watch(said.append)
    assert (said, path.read_bytes()) == ([], made)
    at(monkeypatch, timedelta(days=DAYS - 1))
    stack._next_certificate = 1e-9
    stack.watch(said.append)
    assert path.read_bytes() != made
    assert said == ["The certificate for phones was made anew: each phone has to accept it once."]
