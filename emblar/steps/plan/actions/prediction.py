"""Drums and heads given as files: predicted, and what to turn next. Nothing is kept.

Files name parts of the shipped catalogue.
"""

from emblar.core.acoustics.calibration import calibrate
from emblar.core.acoustics.forward import predict
from emblar.core.acoustics.inverse import LugPitches, lug_pitches_for
from emblar.core.acoustics.uneven import spread_from_lugs
from emblar.core.catalogue import SHIPPED
from emblar.core.errors import InputError
from emblar.core.planning.predicted import predicted_card
from emblar.core.tuning.next_turns import next_turns
from emblar.formats.drum import DrumFile, PredictionFile, WarbleFile, prediction_file
from emblar.formats.tuning import MeasuredStep, TuningFile, TurnsFile, turns_file


def lugs_of(file: DrumFile) -> LugPitches:
    """Return the lug pitches of a drum file: those given, or those that give its wish."""
    if file.wish is not None:
        return lug_pitches_for(
            file.drum(SHIPPED), file.wish.drum_pitch_hz, file.wish.relation_semitones
        )
    given = file.given_lugs()
    assert given is not None
    return given


def predict_file(file: DrumFile) -> PredictionFile:
    """Predict a drum file: a wish is solved for lug pitches first, takes are learned from."""
    drum, lugs = file.drum(SHIPPED), lugs_of(file)
    shares = None
    if file.takes:
        learned = calibrate([take.take(drum) for take in file.takes])
        result = learned.predict(drum, lugs.batter_hz, lugs.reso_hz)
        prediction, shares = result.prediction, result.measured_share
    else:
        prediction = predict(drum, lugs.batter_hz, lugs.reso_hz)
    out = prediction_file(prediction, lugs)
    out.measured_share = shares
    out.warble_hz = _warble(file)
    out.modes = list(prediction.modes)
    out.card = dict(predicted_card(prediction, file.kind))
    return out


def _warble(file: DrumFile) -> WarbleFile | None:
    rods = (file.batter.rods_hz, file.reso.rods_hz if file.reso else None)
    if rods == (None, None):
        return None
    batter, reso = (spread_from_lugs(r) if r is not None else None for r in rods)
    return WarbleFile(batter=batter, reso=reso)


def turns_of(file: TuningFile) -> TurnsFile:
    """Return what to turn next on a head, from what was read and turned so far.

    Raises
    ------
    InputError
        The head was not measured yet, or must not be brought to its goal.
    """
    if not any(isinstance(s, MeasuredStep) and any(s.measured_hz) for s in file.steps):
        raise InputError("steps: measure the head first, at one rod at least.")
    goal = file.goal(SHIPPED)
    goal.check()
    result = next_turns(file.state(SHIPPED), order=file.order, most_tension=goal.most_tension)
    return turns_file(result, goal)
