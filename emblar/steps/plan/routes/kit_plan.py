"""Plan: plan the kit, ask for something else, hear it."""

from typing import Annotated, Any, Literal

from fastapi import APIRouter, File, Form, Request, Response, UploadFile
from pydantic import BaseModel

from emblar.core.drum import Port, Relation
from emblar.core.errors import InputError
from emblar.core.planning.toms import School
from emblar.core.synthesis.played import What
from emblar.frame.fields import Id, Number, Text, as_number, parts_as_text
from emblar.frame.here import Here
from emblar.frame.reading import ReadAtOnce
from emblar.frame.templating import render
from emblar.steps.kit.actions.drums import kit as kit_drums
from emblar.steps.kit.actions.drums import parts_of
from emblar.steps.plan.actions.planning import (
    changed_since,
    kit_sound,
    plan_kit,
    planned_sound,
    replan_drum,
    replan_for_reading,
    tune_toms,
)
from emblar.steps.plan.actions.recipes import bring_from, bring_recipes, recipes
from emblar.steps.plan.actions.versions import plan_version, undo_plan, use_version, versions
from emblar.steps.plan.actions.ways import assign_voices, take_way, ways_of
from emblar.steps.plan.page.by_hand import WISHED
from emblar.steps.plan.page.kit_plan import plan_page
from emblar.steps.plan.page.versions import versions_page
from emblar.steps.plan.page.ways import ways_page
from emblar.steps.workspace.routes import given_line, go, load

MOST_BYTES = 1 << 20
router = APIRouter(prefix="/sessions/{session_id}/plan", route_class=ReadAtOnce)


class WishFields(BaseModel):
    """What was asked of a drum by hand; an empty field leaves it to Emblar."""

    relation: Relation | Literal[""] = ""
    semitones: str = ""
    was: str = ""
    pitch_hz: str = ""
    batter: str = ""
    reso: str = ""
    damper: str = ""
    damper_2: str = ""
    damper_3: str = ""
    striker: str = ""
    wires: str = ""
    port: Port | Literal[""] = ""
    wish_sustain: str = ""
    wish_length: str = ""
    wish_attack: str = ""
    wish_click: str = ""
    wish_body: str = ""
    wish_ring: str = ""
    wish_wires: str = ""

    def wish(self) -> dict[str, Any]:
        """Return the wish as kept with the drum; another relation forgets its semitones."""
        wish: dict[str, Any] = {}
        if self.relation:
            wish["relation"] = self.relation
        if self.relation == self.was and self.semitones.strip():
            wish["semitones"] = _number("semitones", self.semitones)
        if self.pitch_hz.strip():
            wish["pitch_hz"] = _number("pitch", self.pitch_hz)
        for name in ("batter", "reso", "striker", "wires", "port"):
            if getattr(self, name):
                wish[name] = getattr(self, name)
        steps = {
            name: _number(name, text)
            for name in WISHED
            if (text := getattr(self, f"wish_{name}")).strip()
        }
        if steps:
            wish["steps"] = steps
        if self.damper:
            wish["dampers"] = self._dampers()
        return wish

    def _dampers(self) -> list[str]:
        """Return the dampers that were chosen, each once; “nothing” alone is none."""
        fields = (self.damper, self.damper_2, self.damper_3)
        chosen = [name for field in fields for name in field.split(",") if name not in ("", "none")]
        return list(dict.fromkeys(chosen))


def _number(name: str, text: str) -> float:
    try:
        return float(as_number(text))
    except ValueError as error:
        raise InputError(
            f"{name}: “{text[:40]}” is not a number. The plan is as it was.", field=name
        ) from error


@router.get("")
def show(studio: Here, request: Request, session_id: Id, sel: str = "", was: Text = "") -> Response:
    """Show the plan for the selected drum."""
    _, around = load(studio, session_id, "plan", sel)
    page = plan_page(
        around, changed=changed_since(studio, session_id), listed=versions(studio, session_id)
    )
    shown = {"page": page, "frame": around, "given": given_line(studio, session_id, was)}
    return render(request, "plan/page.html", shown)


@router.post("")
def plan(studio: Here, session_id: Id, sel: Annotated[str, Form()] = "") -> Response:
    """Plan the whole kit."""
    plan_kit(studio, session_id)
    return go(f"/sessions/{session_id}/plan" + (f"?sel={sel}" if sel else ""))


@router.post("/voices")
def voices(studio: Here, session_id: Id, sel: Annotated[str, Form()] = "") -> Response:
    """Give every voice the drum that plays it best, and plan."""
    before = parts_as_text(parts_of(kit_drums(studio, session_id)))
    assign_voices(studio, session_id)
    return go(f"/sessions/{session_id}/plan?sel={sel}&was={before}")


@router.get("/versions/{version}")
def version(studio: Here, request: Request, session_id: Id, version: Id, sel: str = "") -> Response:
    """Show a version next to the newest one."""
    _, around = load(studio, session_id, "plan", sel)
    newest = versions(studio, session_id)[0].version
    one, other = (plan_version(studio, session_id, v) for v in (version, newest))
    shown = {"page": versions_page(around, one, other), "frame": around}
    return render(request, "plan/versions.html", shown)


@router.post("/versions/{version}")
def use(studio: Here, session_id: Id, version: Id, sel: Annotated[str, Form()] = "") -> Response:
    """Bring a version back as the newest one."""
    use_version(studio, session_id, version)
    return go(f"/sessions/{session_id}/plan?sel={sel}")


@router.post("/undo")
def undo(studio: Here, session_id: Id, sel: Annotated[str, Form()] = "") -> Response:
    """Go back to the plan before."""
    undo_plan(studio, session_id)
    return go(f"/sessions/{session_id}/plan?sel={sel}")


@router.post("/toms")
def toms(
    studio: Here,
    session_id: Id,
    school: Annotated[School, Form()],
    sel: Annotated[str, Form()] = "",
) -> Response:
    """Give the toms their pitches by a school, and plan."""
    tune_toms(studio, session_id, school)
    return go(f"/sessions/{session_id}/plan" + (f"?sel={sel}" if sel else ""))


@router.get("/ways")
def ways(
    studio: Here,
    request: Request,
    session_id: Id,
    sel: str = "",
    left: str = "best",
    right: str = "least work",
) -> Response:
    """Show the ways of the whole kit, two of them side by side."""
    _, around = load(studio, session_id, "plan", sel)
    page = ways_page(around, ways_of(studio, session_id), left, right)
    return render(request, "plan/ways.html", {"page": page, "frame": around})


@router.post("/ways")
def take(
    studio: Here, session_id: Id, way: Annotated[str, Form()], sel: Annotated[str, Form()] = ""
) -> Response:
    """Ask for what one way does, and plan the kit so."""
    take_way(studio, session_id, way)
    return go(f"/sessions/{session_id}/plan" + (f"?sel={sel}" if sel else ""))


@router.get("/recipes.json")
def take_along(studio: Here, session_id: Id) -> Response:
    """Return the plan's recipes as ``emblar.recipes/1``."""
    text = recipes(studio, session_id).model_dump_json(by_alias=True, indent=2)
    headers = {"Content-Disposition": 'attachment; filename="recipes.json"'}
    return Response(text, media_type="application/json", headers=headers)


@router.post("/recipes")
def bring(
    studio: Here,
    request: Request,
    session_id: Id,
    file: Annotated[UploadFile, File()],
    sel: Annotated[str, Form()] = "",
) -> Response:
    """Ask the kit for the recipes of a file, and plan it so."""
    imported = bring_recipes(studio, session_id, file.file.read(MOST_BYTES))
    _, around = load(studio, session_id, "plan", sel)
    page = plan_page(around, imported)
    return render(request, "plan/page.html", {"page": page, "frame": around, "given": None})


@router.post("/recipes/from")
def bring_worked(
    studio: Here,
    request: Request,
    session_id: Id,
    other: Annotated[Id, Form()],
    sel: Annotated[str, Form()] = "",
) -> Response:
    """Ask the kit for recipes that worked in another session, and plan it so."""
    imported = bring_from(studio, session_id, other)
    _, around = load(studio, session_id, "plan", sel)
    page = plan_page(around, imported)
    return render(request, "plan/page.html", {"page": page, "frame": around, "given": None})


@router.post("/{drum_id}")
def ask(
    studio: Here, session_id: Id, drum_id: Id, fields: Annotated[WishFields, Form()]
) -> Response:
    """Plan one drum as asked by hand."""
    replan_drum(studio, session_id, drum_id, fields.wish())
    return go(f"/sessions/{session_id}/plan?sel=d{drum_id}")


@router.post("/{drum_id}/reading")
def reading(studio: Here, session_id: Id, drum_id: Id, hz: Annotated[Number, Form()]) -> Response:
    """Plan one drum for another reading of its pitch on the record."""
    replan_for_reading(studio, session_id, drum_id, hz)
    return go(f"/sessions/{session_id}/plan?sel=d{drum_id}")


@router.get("/kit.wav")
def kit(studio: Here, session_id: Id) -> Response:
    """Return the planned kit in a groove."""
    return Response(kit_sound(studio, session_id), media_type="audio/wav")


@router.get("/{drum_id}/{what}.wav")
def sound(studio: Here, session_id: Id, drum_id: Id, what: What) -> Response:
    """Return the planned drum played."""
    return Response(planned_sound(studio, session_id, drum_id, what), media_type="audio/wav")
