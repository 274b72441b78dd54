"""WGS 84 positions and the local tangent plane in which the core works."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]
_A = 6378137.0
_E2 = 6.69437999014e-3


@dataclass(frozen=True)
class Plane:
    """Local tangent plane: x east, y north, in metres, touching the ellipsoid at an origin in degrees."""

    latitude: float
    longitude: float

    def to_xy(self, latitude: ArrayLike, longitude: ArrayLike) -> tuple[Array, Array]:
        """Positions in the plane.

        Parameters
        ----------
        latitude, longitude : (n,) degrees, WGS 84, at height 0

        Returns
        -------
        x, y : (n,) metres east and north of the origin

        Notes
        -----
        Geodetic to earth-centred to local coordinates; Hofmann-Wellenhof, Lichtenegger and Wasle, "GNSS", 2008, ch. 8.
        """
        point = _earth_centred(latitude, longitude) - _earth_centred(self.latitude, self.longitude)[:, None]
        lat, lon = np.radians(self.latitude), np.radians(self.longitude)
        x = -np.sin(lon) * point[0] + np.cos(lon) * point[1]
        y = -np.sin(lat) * np.cos(lon) * point[0] - np.sin(lat) * np.sin(lon) * point[1] + np.cos(lat) * point[2]
        return x, y

    def to_degrees(self, x: ArrayLike, y: ArrayLike) -> tuple[Array, Array]:
        """Latitude and longitude in degrees of (n,) positions in the plane (the inverse of :meth:`to_xy`)."""
        x, y = np.atleast_1d(np.asarray(x, float)), np.atleast_1d(np.asarray(y, float))
        lat = np.radians(self.latitude)
        w = np.sqrt(1 - _E2 * np.sin(lat) ** 2)
        north, east = _A * (1 - _E2) / w**3, _A / w * np.cos(lat)
        latitude = self.latitude + np.degrees(y / north)
        longitude = self.longitude + np.degrees(x / east)
        for _ in range(4):  # Newton with the origin's scales: the error shrinks by the plane's size over the earth's
            at_x, at_y = self.to_xy(latitude, longitude)
            latitude = latitude + np.degrees((y - at_y) / north)
            longitude = longitude + np.degrees((x - at_x) / east)
        return latitude, longitude


def _earth_centred(latitude: ArrayLike, longitude: ArrayLike) -> Array:
    lat, lon = np.radians(np.asarray(latitude, float)), np.radians(np.asarray(longitude, float))
    radius = _A / np.sqrt(1 - _E2 * np.sin(lat) ** 2)
    return np.array(
        [
            radius * np.cos(lat) * np.cos(lon),
            radius * np.cos(lat) * np.sin(lon),
            radius * (1 - _E2) * np.sin(lat),
        ]
    )
