# ruff: noqa: E501
"""What a channel's name and unit say about its role."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lauftakt.core.log.evidence.assigning import assign_roles
from lauftakt.core.log.evidence.lexicon import LEADING, WORDS
from lauftakt.core.log.evidence.naming import evidence_of_name, rules
from lauftakt.core.log.evidence.tokens import tokens_of
from lauftakt.core.log.model import RawChannel
from lauftakt.core.log.roles import ROLES
from tests.core.moving import CLOCK, WAVE

# Enough for a role, were it the only channel.
LEAST = 1.0

NAMES = {
    "en": {
        "GPS Latitude": "latitude", "Long": "longitude", "gps_lon": "longitude", "GPS Speed [km/h]": "receiver_speed",
        "VehicleSpeed": "speed", "speed_kmh": "speed", "vCar [km/h]": "speed", "Speed Wheels [km/h]": "speed",
        "Brake Press F [bar]": "brake_pressure", "BRAKE_PRESSURE_FRONT": "brake_pressure", "pBrakeR [bar]": "rear_brake_pressure",
        "Brake [bar]": "brake_pressure", "Brake [%]": "brake_pedal", "Brake Pos": "brake_pedal", "brake_temp_rr_c": "brake_temperature_rear_right",
        "Throttle Position Sensor": "throttle", "Accelerator Pedal": "throttle", "rThrottle [%]": "throttle", "TPS": "throttle",
        "Steering Wheel Angle": "steering", "StWhlAng [deg]": "steering", "Engine RPM": "engine_speed", "nEngine": "engine_speed",
        "Lat Accel [g]": "lateral_acceleration", "Lat [deg]": "latitude", "Lat [g]": "lateral_acceleration", "lat_g": "lateral_acceleration",
        "AccLong": "longitudinal_acceleration", "AccY [g]": "lateral_acceleration", "a_x [m/s^2]": "longitudinal_acceleration",
        "Gz [g]": "vertical_acceleration", "Yaw Rate": "yaw_rate", "Gyro Z [dps]": "yaw_rate", "Yaw [deg]": "heading",
        "Gear Position": "gear", "NGear": "gear", "Coolant Temp": "water_temperature", "TWater [C]": "water_temperature",
        "Oil Temp": "oil_temperature", "P Oil [bar]": "oil_pressure", "Oil [bar]": "oil_pressure", "Oil [°C]": "oil_temperature",
        "Wheel Speed FL": "wheel_front_left", "vWheelRR [km/h]": "wheel_rear_right", "wheelspdfl": "wheel_front_left",
        "Tyre Temp FL Inner": "tyre_temperature_front_left_inner", "tyre_temp_fl_m": "tyre_temperature_front_left_middle",
        "Tire Pressure RL [psi]": "tyre_pressure_rear_left", "Fuel Level [l]": "fuel", "Fuel Level [%]": "fuel_share",
        "Battery Voltage": "battery_voltage", "Lap Beacon": "lap_trigger", "Lap Number": "lap_number", "LapDistPct": "lap_share",
        "Lap Distance [m]": "lap_distance", "Odometer [km]": "distance", "Track Temp": "track_temperature", "Air Temp": "ambient_temperature",
        "Track Limits": "lap_validity", "Clutch": "clutch", "GPS Altitude": "altitude", "Course over ground [deg]": "heading",
    },
    "de": {
        "Geschwindigkeit": "speed", "Motordrehzahl": "engine_speed", "Bremsdruck vorne": "brake_pressure", "Bremsdruck HA": "rear_brake_pressure",
        "Lenkradwinkel [Grad]": "steering", "Gaspedalstellung": "throttle", "Drosselklappe [%]": "throttle", "Gang": "gear",
        "Querbeschleunigung": "lateral_acceleration", "Längsbeschleunigung": "longitudinal_acceleration", "Laengsbeschl. [g]": "longitudinal_acceleration",
        "Gierrate": "yaw_rate", "Öltemperatur": "oil_temperature", "Kühlwassertemperatur": "water_temperature", "Breitengrad": "latitude",
        "Längengrad": "longitude", "Rundendistanz": "lap_distance", "Reifendruck HL": "tyre_pressure_rear_left", "V_Rad_VL [km/h]": "wheel_front_left",
        "Bremsscheibentemperatur VL": "brake_temperature_front_left", "Reifentemperatur VR außen": "tyre_temperature_front_right_outer",
        "Batteriespannung": "battery_voltage", "Lichtschranke": "lap_trigger", "Außentemperatur": "ambient_temperature", "Tankinhalt [l]": "fuel",
    },
    "fr": {
        "Vitesse [km/h]": "speed", "Régime moteur": "engine_speed", "Pression frein avant": "brake_pressure", "Pression freinage AR [bar]": "rear_brake_pressure",
        "Angle volant": "steering", "Accélérateur [%]": "throttle", "Rapport engagé": "gear", "Accélération latérale": "lateral_acceleration",
        "Vitesse de lacet [°/s]": "yaw_rate", "Température eau": "water_temperature", "Pres. huile [bar]": "oil_pressure", "Cap [°]": "heading",
        "Vit. roue AVG [km/h]": "wheel_front_left", "Temp pneu ARD ext": "tyre_temperature_rear_right_outer", "Numéro de tour": "lap_number",
    },
    "es": {
        "Velocidad": "speed", "RPM motor": "engine_speed", "Presión freno trasero": "rear_brake_pressure", "Ángulo volante [grados]": "steering",
        "Acelerador": "throttle", "Marcha": "gear", "Aceleración lateral": "lateral_acceleration", "Guiñada [°/s]": "yaw_rate",
        "Temp. agua": "water_temperature", "Presión neumático TD": "tyre_pressure_rear_right", "Vel. rueda DI [km/h]": "wheel_front_left",
    },
    "it": {
        "Velocità": "speed", "Giri motore [giri/min]": "engine_speed", "Pressione freno anteriore": "brake_pressure", "Sterzo [°]": "steering",
        "Farfalla [%]": "throttle", "Marcia": "gear", "Accelerazione laterale": "lateral_acceleration", "Velocità di imbardata [°/s]": "yaw_rate",
        "Temp. olio": "oil_temperature", "Velocità ruota ant sx": "wheel_front_left", "Traguardo": "lap_trigger", "Pressione gomma AD": "tyre_pressure_front_right",
    },
    "nl": {
        "Snelheid [km/u]": "speed", "Toerental": "engine_speed", "Remdruk voor": "brake_pressure", "Remdruk achter": "rear_brake_pressure",
        "Stuurhoek": "steering", "Gaspedaal": "throttle", "Versnelling": "gear", "Dwarsversnelling": "lateral_acceleration",
        "Giersnelheid [°/s]": "yaw_rate", "Olietemperatuur": "oil_temperature", "Wielsnelheid LV": "wheel_front_left", "Bandenspanning RA [bar]": "tyre_pressure_rear_right",
    },
}  # fmt: skip
SOUND_ALIKE = (
    "Steering Torque", "Wind Speed", "Gearbox Oil Temp", "Lateral G Force Limit", "Throttle Map", "Fan Speed", "Latency",
    "Turbo RPM", "Target Speed [km/h]", "Speed Limit", "Brake Light Switch", "Brake Bias [%]", "Brake Fluid Temp", "Wheel Slip [%]",
    "Gear Ratio", "Gear Shift Light", "Clutch Temp [°C]", "Yaw Rate Target", "Roll Rate [deg/s]", "Lap Time [s]", "Best Lap Number",
    "Fuel Pressure [bar]", "Fuel Used [l]", "Air Pressure [mbar]", "Ride Height FL [mm]", "GPS Speed Accuracy [m/s]", "GPS Time",
    "Heading Error", "Throttle Body Temp", "Steering Rate [deg/s]", "Boost Pressure [bar]", "Battery Temp", "Longitudinal Force [N]",
    "Solldrehzahl", "Drehzahl Lüfter", "Bremslichtschalter", "Bremskraftverteilung", "Ladedruck", "Rundenzeit", "Lenkmoment",
    "Consigne vitesse", "Contacteur frein", "Température échappement", "Couple moteur", "Temps au tour", "Velocidad objetivo",
    "Interruptor freno", "Temp. escape", "Velocità vento", "Tempo giro", "Coppia motore", "Doelsnelheid", "Remlichtschakelaar", "Rondetijd", "",
)  # fmt: skip


def best(text: str) -> str | None:
    name, _, unit = text.partition(" [")
    found = evidence_of_name(name, unit.rstrip("]"))
    role = max(found, key=lambda code: found[code])
    return role if found[role] > LEAST else None


@pytest.mark.parametrize("language", NAMES)
def test_names_of_the_trade_in_six_languages(language: str) -> None:
    assert {name: best(name) for name in NAMES[language]} == NAMES[language]


def test_names_that_only_sound_like_a_role() -> None:
    assert {name: found for name in SOUND_ALIKE if (found := best(name)) is not None} == {}


def test_canonical_names_are_the_surest() -> None:
    for role in ROLES.values():
        assert best(f"{role.header} [{role.assumed}]") == role.code
        assert best(role.code.upper()) == role.code
        assert best(role.header) == role.code


def test_a_unit_speaks_without_regard_to_case_and_one_that_nobody_knows_is_no_veto() -> None:
    assert best("Oil [BAR]") == best("Oil [bar]") == best("OIL [Bar]") == "oil_pressure"
    assert best("Throttle [zorg]") == best("Throttle") == "throttle"
    assert best("Throttle [°C]") is None


def test_each_role_has_rules_and_each_word_a_meaning_that_they_know() -> None:
    assert {rule.role for rule in rules()} == set(ROLES)
    known = {word for rule in rules() for need in rule.needs for word in need} | {w for r in rules() for w in r.may}
    spoken = {part for meaning in WORDS for part in meaning.split("+")} | {
        w for v in LEADING.values() for w in v.split()
    }
    assert spoken - known <= {"against", "other", "force", "flow", "neutral"}
    for languages in WORDS.values():
        assert set(languages) <= {"any", "en", "de", "fr", "es", "it", "nl"}


@given(st.text(max_size=60), st.text(max_size=10))
def test_any_name_and_unit_can_be_weighed(name: str, unit: str) -> None:
    assert set(evidence_of_name(name, unit)) == set(ROLES)
    assert all(isinstance(token.word, str) and token.word for token in tokens_of(name))


def test_no_two_channels_get_one_role_and_what_a_person_says_outranks_all() -> None:
    channels = [RawChannel(name, "km/h", CLOCK, WAVE) for name in ("Speed", "Speed", "vCar")]
    roles = [given.role for given in assign_roles(channels).given]
    assert sorted(role for role in roles if role) == ["receiver_speed", "speed"]
    said = assign_roles(channels, {0: "", 1: "distance"})
    assert [given.role for given in said.given] == [None, "distance", "speed"]
    assert said.given[1].confidence == 1.0
