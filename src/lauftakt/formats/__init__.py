"""Open file formats in and out: bytes <-> the core's logs and layouts."""
