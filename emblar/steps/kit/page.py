"""Kit: the voices of the record and who plays them; the selected drum's description."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from markupsafe import Markup

from emblar.core.acoustics.drum import Kind
from emblar.core.acoustics.limits import head_name
from emblar.core.catalogue import (
    Catalogue,
    Construction,
)
from emblar.core.naming import counted, voice_title
from emblar.core.planning.findings import findings
from emblar.core.planning.kit import OwnedDrum
from emblar.core.planning.recipe import kind_of_voice
from emblar.frame.drawing.section import Section, SectionHead, section
from emblar.frame.words import pitch
from emblar.steps.kit.actions.drums import tuned_voices
from emblar.steps.kit.actions.saved import KitChoice
from emblar.steps.kit.queries.drums import StudioDrum
from emblar.steps.kit.queries.slots import KitDrum
from emblar.steps.workspace.page import Frame

KINDS: tuple[tuple[Kind, str], ...] = (("tom", "tom"), ("snare", "snare"), ("kick", "kick"))
STARTING: dict[str, OwnedDrum] = {
    "tom": OwnedDrum(
        "Rack 12", "tom", 12, 8, 6, "flanged", "maple-lacquer", "double-coated", "single-clear"
    ),
    "snare": OwnedDrum(
        "Snare 14", "snare", 14, 6.5, 10, "flanged", "steel", "single-coated", "snare-side"
    ),
    "kick": OwnedDrum(
        "Kick 22", "kick", 22, 16, 10, "wood", "maple-lacquer", "kick-ring-clear", "front-opaque"
    ),
}


@dataclass(frozen=True, slots=True)
class Option:
    """A choice in a list."""

    value: str
    text: str
    chosen: bool


@dataclass(frozen=True, slots=True)
class VoiceRow:
    """A voice of the record with the drums that could play it."""

    voice: str
    title: str
    pitch: str
    options: tuple[Option, ...]
    open: bool


@dataclass(frozen=True, slots=True)
class DrumForm:
    """A drum's description, ready for the form."""

    action: str
    owned: OwnedDrum
    kinds: tuple[Option, ...]
    batters: tuple[Option, ...]
    resos: tuple[Option, ...]
    hoops: tuple[Option, ...]
    shells: tuple[Option, ...]
    edges: tuple[Option, ...]
    findings: tuple[Option, ...]
    new: bool
    lent_by: str = ""
    stands: tuple[Option, ...] = ()
    seconds: tuple[Option, ...] = ()
    """The parts it may play as a second drum or a candidate; empty where it is the first."""


@dataclass(frozen=True, slots=True)
class BroughtKit:
    """Slots that bringing a kit has just added and removed."""

    added: tuple[int, ...]
    removed: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class KitPage:
    """Everything the Kit screen shows."""

    frame: Frame
    subtitle: str
    voices: tuple[VoiceRow, ...]
    form: DrumForm
    section: Markup | None
    adding: bool
    undo: int | None
    choices: tuple[KitChoice, ...] = ()
    """Kits from before that may be brought."""
    others: tuple[Option, ...] = ()
    """The studio's drums that are not in this kit."""
    imported: BroughtKit | None = None
    brought_words: str = ""
    """What bringing a kit has just changed."""


def section_head(made: Construction, lug_hz: float | None) -> SectionHead:
    """Return a head as the section draws it."""
    return SectionHead(made.name, len(made.plies_mil), made.coated, made.ring, lug_hz)


def kit_page(
    around: Frame,
    adding: str,
    undo: int | None,
    choices: Sequence[KitChoice] = (),
    others: Sequence[StudioDrum] = (),
    imported: BroughtKit | None = None,
) -> KitPage:
    """Return the Kit screen.

    Parameters
    ----------
    around
        The frame.
    adding
        Kind of drum being added; empty edits the selected one.
    undo
        A drum just taken out, to offer bringing it back.
    choices, others
        Kits from before, and the studio's drums that are not in this kit.
    imported
        What bringing a kit has just changed, to offer undoing it.
    """
    drum = around.drum
    is_new = bool(adding) or drum is None
    owned = STARTING.get(adding or "tom", STARTING["tom"]) if is_new or not drum else drum.owned
    action = f"/sessions/{around.session.id}/kit/drums"
    if not is_new and drum is not None:
        action = f"{action}/{drum.id}"
    voices = _voices(around)
    form = drum_form(around.catalogue, action, owned, new=is_new)
    if not is_new and drum is not None:
        form = replace(
            form, lent_by=drum.lent_by, stands=_stands(drum), seconds=_seconds(around, drum)
        )
    assigned = sum(not row.open for row in voices)
    return KitPage(
        frame=around,
        subtitle=(
            f"{counted(len(around.drums), 'drum')} in this kit, {assigned} of "
            f"{counted(len(voices), 'drum')} on the record matched"
        ),
        voices=voices,
        form=form,
        section=None if is_new else _section(around.catalogue, owned),
        adding=is_new,
        undo=undo,
        choices=tuple(choices),
        others=tuple(
            Option(str(d.id), f"{d.owned.name}, {d.owned.diameter_in:g} in{_lent(d)}", False)
            for d in others
        ),
        imported=imported,
        brought_words=_brought_words(around, imported) if imported else "",
    )


def _brought_words(around: Frame, imported: BroughtKit) -> str:
    names = [d.owned.name for d in around.drums if d.id in imported.added]
    if not names and not imported.removed:
        return "These drums are in the kit already."
    description = f"Added {', '.join(names)}" if names else "No drum added"
    gone = f"; removed {counted(len(imported.removed), 'drum')}" if imported.removed else ""
    return f"{description}{gone}."


def _lent(drum: StudioDrum) -> str:
    return f", borrowed from {drum.lent_by}" if drum.lent_by else ""


def _stands(drum: KitDrum) -> tuple[Option, ...]:
    if drum.owned.kind != "tom":
        return ()
    rows = (("", "where its size says"), ("rack", "on the rack"), ("floor", "on the floor"))
    return tuple(Option(value, text, value == (drum.stand or "")) for value, text in rows)


def _seconds(around: Frame, drum: KitDrum) -> tuple[Option, ...]:
    """Return the parts a drum may play beside another; none while it is the first for one."""
    if drum.voice is not None and not drum.also:
        return ()
    chosen = drum.voice if drum.also else ""
    firsts = {d.voice for d in around.drums if d.voice and not d.also}
    parts = [
        v
        for v in tuned_voices(around.record)
        if _can_play(drum.owned.kind, v) and (v in firsts or v == chosen)
    ]
    rows = [("", "nothing"), *((v, v.replace("-", " ")) for v in parts)]
    return tuple(Option(value, text, value == chosen) for value, text in rows)


def _voices(around: Frame) -> tuple[VoiceRow, ...]:
    rows = []
    for voice in tuned_voices(around.record):
        card = around.record.voice(voice) if around.record else None
        hz = card.fundamental_hz if card else None
        fitting = [d for d in around.drums if _can_play(d.owned.kind, voice)]
        options = tuple(
            Option(
                str(d.id),
                f"{d.owned.name}, {d.owned.diameter_in:g} in",
                d.voice == voice and not d.also,
            )
            for d in fitting
        )
        played = any(o.chosen for o in options)
        rows.append(
            VoiceRow(
                voice,
                voice_title(voice),
                pitch(hz, card.fundamental_sd_cents) if card and hz else "cannot tell",
                options,
                not played,
            )
        )
    return tuple(rows)


def _can_play(kind: str, voice: str) -> bool:
    """Any drum may stand in for another, but a snare only for a snare."""
    return (kind == "snare") == (kind_of_voice(voice) == "snare")


def drum_form(catalogue: Catalogue, action: str, owned: OwnedDrum, *, new: bool) -> DrumForm:
    """Return the form of a drum."""

    def heads(side: str, chosen: str | None) -> tuple[Option, ...]:
        fitting = catalogue.constructions_for(owned.kind, "batter" if side == "batter" else "reso")
        return tuple(Option(c.id, f"{c.name} ({c.film_label})", c.id == chosen) for c in fitting)

    resos = heads("reso", owned.reso)
    if owned.kind == "kick":
        resos = (*resos, Option("", "no front head", owned.reso is None))
    return DrumForm(
        action=action,
        owned=owned,
        kinds=tuple(Option(k, text, k == owned.kind) for k, text in KINDS),
        batters=heads("batter", owned.batter),
        resos=resos,
        hoops=tuple(Option(h.id, h.name, h.id == owned.hoop) for h in catalogue.hoops.values()),
        shells=tuple(Option(s.id, s.name, s.id == owned.shell) for s in catalogue.shells.values()),
        edges=tuple(
            Option(e.id, e.name, e.id == owned.edge)
            for e in catalogue.edges.values()
            if e.id != "dented"
        ),
        findings=tuple(
            Option(row.id, row.name, row.id in owned.findings)
            for row in findings().values()
            if owned.kind in row.kinds and not row.by_log
        ),
        new=new,
    )


def _section(catalogue: Catalogue, owned: OwnedDrum) -> Markup:
    reso = section_head(catalogue.construction(owned.reso), None) if owned.reso else None
    return section(
        Section(
            f"{owned.name} as it stands, cut from the side",
            owned.diameter_in,
            owned.depth_in,
            owned.rods,
            section_head(catalogue.construction(owned.batter), None),
            reso,
            owned.port_in,
            (),
            head_name(owned.kind, "reso"),
        )
    )
