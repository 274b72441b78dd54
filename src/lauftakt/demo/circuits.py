"""Made-up circuits, all by the same builder: the school's own, a long one, a kart track and a hill course."""

from lauftakt.demo.circuit import Bend, Circuit, Straight, build_circuit, build_course


def ellerholm_park() -> Circuit:
    """The school's circuit: 4.3 km, clockwise, thirteen corners."""
    parts: list[Bend | Straight] = [
        Straight(360),
        Bend("", -16, 520, 60),
        Straight(420),
        Bend("T1", -84, 40, 24),
        Straight(150),
        Bend("T2", 48, 42, 18),
        Straight(16),
        Bend("T3", -52, 46, 18),
        Straight(190),
        Bend("T4", -62, 50, 24),
        Bend("", -16, 150, 20),
        Bend("", -52, 40, 24),
        Straight(330),
        Bend("T5", 152, 17, 14),
        Straight(120),
        Bend("T6", -138, 150, 60),
        Straight(50),
        Bend("T7", 38, 110, 40),
        Straight(25),
        Bend("T8", -46, 105, 40),
        Straight(25),
        Bend("T9", 30, 130, 36),
        Straight(120),
        Bend("T10", -66, 36, 20),
        Straight(200),
        Bend("T11", 60, 48, 24),
        Straight(60),
        Bend("T12", -72, 60, 28),
        Straight(420),
        Bend("T13", -84, 50, 26),
    ]
    return build_circuit(
        "Ellerholm Park",
        parts,
        length_m=4310.0,
        start_offset_m=170.0,
        latitude=53.8127,
        longitude=10.1846,
        turn_deg=24.0,
    )


def tamar_ring() -> Circuit:
    """A long circuit on the southern half of the earth, driven anti-clockwise: 6.2 km, fast bends and two chicanes."""
    parts: list[Bend | Straight] = [
        Straight(700),
        Bend("T1", 86, 62, 34),
        Straight(260),
        Bend("T2", 40, 180, 60),
        Straight(330),
        Bend("T3", -74, 45, 24),
        Straight(24),
        Bend("T4", 66, 48, 24),
        Straight(520),
        Bend("T5", 118, 30, 20),
        Straight(280),
        Bend("T6", -58, 95, 40),
        Straight(210),
        Bend("T7", 92, 75, 40),
        Straight(640),
        Bend("T8", 46, 38, 18),
        Straight(18),
        Bend("T9", -52, 40, 18),
        Straight(380),
        Bend("T10", 104, 110, 50),
        Straight(150),
        Bend("T11", -68, 55, 28),
        Straight(420),
        Bend("T12", 60, 70, 30),
    ]
    return build_circuit(
        "Tamar Ring",
        parts,
        length_m=6180.0,
        start_offset_m=260.0,
        latitude=-33.4172,
        longitude=149.6031,
        width_m=13.0,
        turn_deg=-71.0,
    )


def bruchfeld_kart() -> Circuit:
    """A short kart track, clockwise: 1.1 km, ten tight corners."""
    parts: list[Bend | Straight] = [
        Straight(110),
        Bend("T1", -92, 14, 8),
        Straight(42),
        Bend("T2", -78, 16, 8),
        Straight(60),
        Bend("T3", 96, 12, 7),
        Straight(34),
        Bend("T4", -124, 11, 7),
        Straight(72),
        Bend("T5", 58, 20, 9),
        Straight(26),
        Bend("T6", -66, 18, 9),
        Straight(56),
        Bend("T7", -104, 12, 7),
        Straight(38),
        Bend("T8", 88, 15, 8),
        Straight(50),
        Bend("T9", -72, 17, 8),
        Straight(30),
        Bend("T10", -66, 21, 9),
    ]
    return build_circuit(
        "Bruchfeld kart track",
        parts,
        length_m=1120.0,
        start_offset_m=60.0,
        latitude=48.2391,
        longitude=-1.4127,
        width_m=7.5,
        turn_deg=11.0,
    )


def karst_hill() -> Circuit:
    """An open hill course: 2.5 km from the start to a finish of its own."""
    parts: list[Bend | Straight] = [
        Straight(240),
        Bend("T1", -46, 60, 26),
        Straight(150),
        Bend("T2", 62, 34, 20),
        Straight(90),
        Bend("T3", -158, 16, 12),
        Straight(180),
        Bend("T4", 38, 120, 40),
        Straight(140),
        Bend("T5", 148, 18, 12),
        Straight(210),
        Bend("T6", -72, 42, 24),
        Straight(70),
        Bend("T7", 54, 50, 24),
        Straight(230),
        Bend("T8", -84, 30, 18),
        Straight(330),
    ]
    return build_course(
        "Karst hill",
        parts,
        start_m=70.0,
        finish_before_end_m=110.0,
        latitude=45.7213,
        longitude=14.1129,
        width_m=8.0,
        turn_deg=140.0,
    )


CIRCUITS = {"ellerholm": ellerholm_park, "tamar": tamar_ring, "bruchfeld": bruchfeld_kart, "karst": karst_hill}
