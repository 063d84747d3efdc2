"""The cautions of one drum's plan, made once for every output: screen, sheet, shell and JSON."""

from emblar.core.acoustics.forward import Prediction
from emblar.core.drum import Setup
from emblar.core.planning.brief import Brief, Shelf
from emblar.core.planning.findings import findings
from emblar.core.planning.kick_window import kick_window
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.weighing import Weighed
from emblar.core.planning.why import fit_warnings

HEARING = "Wear hearing protection while tuning, and take breaks."
FORCE = (
    "Stop if the key needs force. Keep your face away from a head near its limit, and wear eye "
    "protection."
)
CAN = "Lift the heavy can properly, and secure it in the kick so that it cannot roll."
LEGS = "With its legs turned over, check that the drum stands safely, and mind floor and shins."
CUT = (
    "A cut cannot be undone: buy a ported head, or try an old one first. Take the head off the "
    "drum and clamp it, wear gloves and eye protection, cut away from your hand, and tape the edge "
    "or fit a reinforcing ring."
)


def cautions_of(
    row: Weighed, prediction: Prediction, shelf: Shelf, brief: Brief, *, wish_hz: float
) -> tuple[str, ...]:
    """Return everything to be careful about with one drum's plan, each in a sentence or two.

    What an inspection found, promises of the brief that the plan does not keep, what the player
    would stumble over, limits of heads and rods, and what can hurt a person.

    Parameters
    ----------
    row
        The plan, with the drum's place on the shelf.
    prediction
        What is predicted for it.
    shelf, brief
        What there is, and what was asked for.
    wish_hz
        The pitch that was asked for, Hz.
    """
    owned = shelf.drums[row.drum]
    warnings = [reason.text for reason in fit_warnings([row], shelf, brief)]
    result = (
        *_off_window(row, owned, wish_hz),
        *_finding_cautions(owned, row.setup),
        *warnings,
        *_limits(prediction),
        *_people(owned, row),
    )
    return tuple(dict.fromkeys(result))


def _off_window(row: Weighed, owned: OwnedDrum, wish_hz: float) -> list[str]:
    """Return the cautions of tuning a kick outside its usual range."""
    if owned.kind != "kick":
        return []
    window, lug = kick_window(owned.diameter_in), row.setup.batter_hz
    usual = f"the {window.low_hz:.0f} to {window.high_hz:.0f} Hz that a {owned.diameter_in:g} in"
    if row.short_cents:
        return [
            f"{wish_hz:.0f} Hz would take the batter out of {usual} kick is tuned to. The plan "
            f"uses the nearest, {row.card['pitch']:.0f} Hz. Is {wish_hz:.0f} Hz the note or an "
            "overtone? Choose another reading, or enter the pitch yourself."
        ]
    if not window.low_hz * 0.99 <= lug <= window.high_hz * 1.01:
        return [
            f"{lug:.0f} Hz at the batter's lugs is outside {usual} kick is tuned to. The plan "
            "uses it because you entered the pitch."
        ]
    return []


def _finding_cautions(owned: OwnedDrum, setup: Setup) -> list[str]:
    """Return what an inspection found; a spent head only while it stays on."""
    rows = [findings()[name] for name in owned.findings]
    return [
        f"{owned.name} has {row.name}: {row.advice}."
        for row in rows
        if row.changes is None or getattr(setup, row.changes) == getattr(owned, row.changes)
    ]


def _limits(prediction: Prediction) -> list[str]:
    """Return the limits that heads and rods reach, each with its number."""
    result = [limit.text for limit in prediction.limits]
    tight = any(
        limit.code in ("film_stress", "rod_load") and limit.severity in ("stop", "caution")
        for limit in prediction.limits
    )
    return [*result, FORCE] if tight else result


def _people(owned: OwnedDrum, row: Weighed) -> list[str]:
    """Return what can hurt a person."""
    result = [CUT] if row.cut else []
    if any(d.startswith("leg") for d in row.setup.dampers):
        result.append(LEGS)
    if owned.kind == "kick" and "sand-can" in row.setup.dampers:
        result.append(CAN)
    return [*result, HEARING]
