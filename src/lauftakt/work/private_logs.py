"""Keeps people and secrets out of the logs: addresses, links, passwords and what the database quotes in its errors."""

import logging
import re
import traceback
from pathlib import Path
from typing import Any

# What is cut, and what stands there instead.
_CUT: tuple[tuple[re.Pattern[str], str], ...] = (
    (re.compile(r"://[^\s/@:]+:[^\s/@]+@"), "://(password)@"),
    (re.compile(r"\b[\w.+-]{1,64}@[\w-]+(?:\.[\w-]+)+"), "(address)"),
    (re.compile(r"/(give|join|link|invitation)/[\w.=-]{12,}"), r"/\1/(token)"),
    (re.compile(r"#[\w-]{20,}"), "#(code)"),
    (re.compile(r"Duplicate entry '.*?' for key"), "Duplicate entry (…) for key"),
    (re.compile(r"(Incorrect [\w ]+ value|Data too long[^']*): '.*?'"), r"\1: (…)"),
    (re.compile(r"\[parameters: .*?\]\n?", re.DOTALL), ""),
)


def cleaned(text: str) -> str:
    """A text without what is nobody's business."""
    for pattern, instead in _CUT:
        text = pattern.sub(instead, text)
    return text


def keep_logs_private() -> None:
    """Clean every record of this process, whichever library writes it and wherever it goes."""
    before = logging.getLogRecordFactory()
    if getattr(before, "private", False):
        return

    def record(*args: Any, **kwargs: Any) -> logging.LogRecord:
        made = before(*args, **kwargs)
        try:
            made.msg, made.args = cleaned(made.getMessage()), ()
        except (TypeError, ValueError):
            return made  # its own handler says what is wrong with it
        if made.exc_info and made.exc_info[0] is not None:
            made.exc_text = cleaned("".join(traceback.format_exception(*made.exc_info)).rstrip())
        return made

    record.private = True  # type: ignore[attr-defined]
    logging.setLogRecordFactory(record)


def black_out(var: Path, name: str) -> int:
    """Make a name unreadable in every log of an installation, for somebody who wishes to be forgotten.

    Nothing of the kind should stand there, but an older version, or a library, may have written it. A log keeps its
    length, since the programs that write it go on where they are.

    Parameters
    ----------
    var : the installation's folder
    name : as it is written, in whichever case

    Returns
    -------
    In how many places it stood.
    """
    said = re.compile(rb"(?<!\w)" + re.escape(name.strip().encode()) + rb"(?!\w)", re.IGNORECASE)
    places = 0
    for path in (*var.glob("*.log*"), *(var / "database").glob("*.log*")):
        found = [match.span() for match in said.finditer(path.read_bytes())] if name.strip() else []
        if found:
            with path.open("r+b") as file:
                for begin, end in found:
                    file.seek(begin)
                    file.write(b"*" * (end - begin))
        places += len(found)
    return places
