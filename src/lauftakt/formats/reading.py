"""Reads a log of any format that Lauftakt knows."""

from pathlib import Path

from lauftakt.core.log import Log, Unusable
from lauftakt.core.sense import make_sense
from lauftakt.formats.csv_in import read_csv


def read_log(path: Path) -> Log:
    """Read one log file, which need not be trusted.

    Raises
    ------
    Unusable
        with a sentence that says what is wrong and what to do.
    """
    try:
        if path.is_dir():
            raise Unusable("file-missing", "This is a folder, not a log file.")
        if path.suffix.lower() in (".geojson", ".json"):
            raise Unusable("file-kind", "This is a layout or other data, not a log; give layouts with --layout.")
        return make_sense(read_csv(path))
    except FileNotFoundError as error:
        raise Unusable("file-missing", "There is no such file.") from error
    except PermissionError as error:
        raise Unusable("file-missing", "The file may not be read by this user.") from error
    except OSError as error:
        raise Unusable(
            "file-missing", f"The file cannot be read: {error.strerror or 'input or output error'}."
        ) from error
