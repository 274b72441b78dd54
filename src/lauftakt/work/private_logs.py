"""Keeps people and secrets out of the logs: addresses, links, passwords and what the database quotes in its errors."""

import logging
import re
import traceback
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
