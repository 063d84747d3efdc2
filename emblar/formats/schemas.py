"""The JSON Schemas of every file format, made from the models."""

import json

from pydantic import BaseModel

from emblar.formats.analysis import AnalysisFile
from emblar.formats.brief import BriefFile
from emblar.formats.comparison import ComparisonFile, CuresFile, MovesAsked, MovesFile
from emblar.formats.doctor import DoctorFile, HealthFile
from emblar.formats.drum import DrumFile, PredictionFile
from emblar.formats.evening import EveningFile, EveningPlanFile
from emblar.formats.export import ExportFile
from emblar.formats.hum import HumAsked, HumMapFile
from emblar.formats.journey import JourneyFile, PadsFile, RoundFile, WayFile
from emblar.formats.kitplan import KitPlanFile
from emblar.formats.log import LogFile
from emblar.formats.muffling import MufflingFile, NextMuffleFile
from emblar.formats.plan import DrumPlanFile
from emblar.formats.recipes import RecipesFile
from emblar.formats.rescue import RescueFile
from emblar.formats.setlist import SetlistFile, SetlistPlanFile
from emblar.formats.setup import SetupFile
from emblar.formats.sheet import SheetFile
from emblar.formats.studio import (
    AccountsFile,
    KitsFile,
    LinksFile,
    NetworkFile,
    SaidFile,
    SessionsFile,
    VersionsFile,
    WorkedFile,
)
from emblar.formats.sung import SungFile
from emblar.formats.tuning import SweepFile, TapsFile, TuningFile, TurnsFile
from emblar.formats.wires import WiresFile

SCHEMAS: dict[str, type[BaseModel]] = {
    "emblar.accounts-1": AccountsFile,
    "emblar.analysis-1": AnalysisFile,
    "emblar.brief-1": BriefFile,
    "emblar.comparison-1": ComparisonFile,
    "emblar.cures-1": CuresFile,
    "emblar.doctor-1": DoctorFile,
    "emblar.drum-1": DrumFile,
    "emblar.evening-1": EveningFile,
    "emblar.evening-plan-1": EveningPlanFile,
    "emblar.export-1": ExportFile,
    "emblar.health-1": HealthFile,
    "emblar.hum-1": HumMapFile,
    "emblar.hum-asked-1": HumAsked,
    "emblar.journey-1": JourneyFile,
    "emblar.way-1": WayFile,
    "emblar.kitplan-1": KitPlanFile,
    "emblar.kits-1": KitsFile,
    "emblar.links-1": LinksFile,
    "emblar.network-1": NetworkFile,
    "emblar.said-1": SaidFile,
    "emblar.log-1": LogFile,
    "emblar.moves-1": MovesAsked,
    "emblar.muffling-1": MufflingFile,
    "emblar.next-muffle-1": NextMuffleFile,
    "emblar.pads-1": PadsFile,
    "emblar.plan-2": DrumPlanFile,
    "emblar.plan-versions-1": VersionsFile,
    "emblar.prediction-1": PredictionFile,
    "emblar.ranked-moves-1": MovesFile,
    "emblar.recipes-1": RecipesFile,
    "emblar.rescue-1": RescueFile,
    "emblar.round-1": RoundFile,
    "emblar.sessions-1": SessionsFile,
    "emblar.setlist-1": SetlistFile,
    "emblar.setlist-plan-1": SetlistPlanFile,
    "emblar.setup-1": SetupFile,
    "emblar.sheet-1": SheetFile,
    "emblar.sung-1": SungFile,
    "emblar.sweep-1": SweepFile,
    "emblar.taps-1": TapsFile,
    "emblar.tuning-1": TuningFile,
    "emblar.turns-1": TurnsFile,
    "emblar.worked-recipes-1": WorkedFile,
    "emblar.wires-1": WiresFile,
}


def schema_text(name: str) -> str:
    """Return one schema as JSON text, keys in a fixed order."""
    schema = SCHEMAS[name].model_json_schema(by_alias=True)
    return json.dumps(schema, indent=2, ensure_ascii=False, sort_keys=True) + "\n"
