"""Open file formats in and out: bytes <-> the core's Log."""

from lauftakt.formats.csv_in import read_csv
from lauftakt.formats.csv_out import write_csv
from lauftakt.formats.geojson import read_layout

__all__ = ["read_csv", "read_layout", "write_csv"]
