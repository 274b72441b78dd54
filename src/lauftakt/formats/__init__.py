"""Open file formats in and out: bytes <-> the core's logs and layouts."""

from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.geojson import read_layout
from lauftakt.formats.reading import read_log

__all__ = ["read_layout", "read_log", "write_csv"]
