"""A small made-up brief as JSON would hold it."""

from typing import Any


def quantity(value: float, unit: str = "") -> dict[str, Any]:
    return {"value": value, "sd": 0.05 * abs(value) + 0.02, "unit": unit}


def brief(**changes: Any) -> dict[str, Any]:
    """Return a brief for a kick, a snare and two toms on a shelf of five drums."""

    def drum(
        name: str, kind: str, diameter: float, depth: float, rods: int, **more: Any
    ) -> dict[str, Any]:
        heads = {
            "kick": ("double-clear", "front-opaque"),
            "snare": ("single-coated", "snare-side"),
            "tom": ("double-clear", "single-clear"),
        }[kind]
        return {
            "name": name,
            "kind": kind,
            "diameter_in": diameter,
            "depth_in": depth,
            "rods": rods,
            "batter": heads[0],
            "reso": heads[1],
            **more,
        }

    return {
        "schema": "emblar.brief/1",
        "ask": {"tempo_bpm": 120.0, "only_owned": True},
        "shelf": {
            "drums": [
                drum("Kick 22", "kick", 22, 16, 10, port_in=5.0),
                drum("Snare 14", "snare", 14, 6.5, 10),
                drum("Rack 10", "tom", 10, 7, 6),
                drum("Rack 12", "tom", 12, 8, 6, dampers=["tape-flag"]),
                drum("Floor 16", "tom", 16, 14, 8),
            ],
            "heads": [{"construction": "single-coated", "diameter_in": 12}],
        },
        "record": {
            "kick": {"pitch": quantity(60.0), "sustain": quantity(0.4), "length": quantity(0.15)},
            "snare": {"pitch": quantity(190.0), "length": quantity(0.12)},
            "tom-1": {"pitch": quantity(140.0), "sustain": quantity(1.0), "length": quantity(0.2)},
            "tom-2": {"pitch": quantity(85.0), "sustain": quantity(1.3), "length": quantity(0.3)},
        },
        **changes,
    }
