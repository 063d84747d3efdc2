"""What people say of the record: values by hand, the gear it was played on, how far to trust it."""

from emblar.core.errors import InputError
from emblar.core.planning.pooled import Evidence, check_evidence
from emblar.core.voices import checked_voice
from emblar.platform.studio import Studio, in_session
from emblar.steps.log.queries import evidence as store
from emblar.steps.log.queries.evidence import EvidenceInfo

CONFIDENCE = {"hearsay": 0.25, "likely": 0.5, "sure": 0.9}
"""How far a piece of evidence is trusted, by the word it is given (assumption)."""
CHOSEN = "the reading you chose"
READING_SD_SHARE = 0.01


def give_value(
    studio: Studio,
    session_id: int,
    voice: str,
    quantity: str,
    value: float,
    sd: float | None,
    trust: str,
    source: str,
) -> EvidenceInfo:
    """Keep a value somebody gives for a quantity of a voice; the card weighs it in."""
    confidence = _confidence(trust)
    text = source.strip() or "by ear"
    check_evidence(Evidence(quantity, value, sd, confidence, text))
    return _keep(studio, session_id, voice, quantity, value, sd, confidence, text)


def use_reading(studio: Studio, session_id: int, voice: str, hz: float) -> EvidenceInfo:
    """Keep which reading of a voice's pitch a person hears; an earlier choice gives way."""
    check_evidence(Evidence("pitch", hz, None, CONFIDENCE["sure"], CHOSEN))
    with in_session(studio, session_id) as db:
        for piece in store.listing(db, session_id):
            if (piece.voice, piece.quantity, piece.source) == (voice, "pitch", CHOSEN):
                store.take_away(db, session_id, piece.id)
    sd = round(hz * READING_SD_SHARE, 3)
    return _keep(studio, session_id, voice, "pitch", hz, sd, CONFIDENCE["sure"], CHOSEN)


def undo_reading(studio: Studio, session_id: int, evidence_id: int) -> None:
    """Undo the choice of a reading: the choice before it counts again, or none does."""
    with in_session(studio, session_id) as db:
        store.take_away(db, session_id, evidence_id)
        earlier = store.before(db, session_id, evidence_id)
        if earlier is not None:
            store.bring_back(db, session_id, earlier.id)


def give_gear(studio: Studio, session_id: int, voice: str, words: str, trust: str) -> EvidenceInfo:
    """Keep what is known of the gear a voice was played on."""
    if not words.strip():
        raise InputError("Say what is known, for example “14 by 6.5 wood, coated head”.")
    return _keep(studio, session_id, voice, None, None, None, _confidence(trust), words.strip())


def take_evidence_away(studio: Studio, session_id: int, evidence_id: int) -> EvidenceInfo:
    """Take a piece of evidence away; it can be brought back."""
    with in_session(studio, session_id) as db:
        return store.take_away(db, session_id, evidence_id)


def bring_evidence_back(studio: Studio, session_id: int, evidence_id: int) -> EvidenceInfo:
    """Bring a piece of evidence back."""
    with in_session(studio, session_id) as db:
        return store.bring_back(db, session_id, evidence_id)


def _confidence(trust: str) -> float:
    if trust not in CONFIDENCE:
        raise InputError(f"“{trust}” is no confidence: use {', '.join(CONFIDENCE)}.")
    return CONFIDENCE[trust]


def _keep(
    studio: Studio,
    session_id: int,
    voice: str,
    quantity: str | None,
    value: float | None,
    sd: float | None,
    confidence: float,
    source: str,
) -> EvidenceInfo:
    checked_voice(voice)
    with in_session(studio, session_id) as db:
        return store.add(
            db,
            session_id,
            voice,
            quantity=quantity,
            value=value,
            sd=sd,
            confidence=confidence,
            source=source,
        )
