"""The ``emblar`` command; translates errors to one line and exit code 2.

Each command imports what it needs when it runs: the help is there at once.
"""

import sys

import typer

from emblar.core.errors import EmblarError
from emblar.service.commands.backup import backup_command, restore_command
from emblar.service.commands.doctor import doctor_command, worker_command
from emblar.service.commands.serve import serve_command
from emblar.steps.accounts.commands import accounts_app
from emblar.steps.bench.commands import (
    hum_command,
    muffle_command,
    next_turns_command,
    sweep_command,
    taps_command,
    wires_command,
)
from emblar.steps.evening.commands import evening_command
from emblar.steps.kit.commands import kits_command
from emblar.steps.listen.commands.analyse import analyse_command
from emblar.steps.match.commands.comparison import compare_command, cures_command, moves_command
from emblar.steps.match.commands.journey import (
    journey_command,
    pads_command,
    round_command,
    way_command,
)
from emblar.steps.plan.commands.plan import plan_command, rescue_command, sing_command
from emblar.steps.plan.commands.predict import predict_command
from emblar.steps.plan.commands.saved import plans_command, recipes_command
from emblar.steps.practice.commands import practice_command, render_command
from emblar.steps.sessions.commands.export import export_command, import_command
from emblar.steps.sessions.commands.sessions import sessions_command, start_command
from emblar.steps.setlist.commands import setlist_command
from emblar.steps.share.commands.links import network_command, share_command
from emblar.steps.share.commands.said import said_command

app = typer.Typer(
    help="Measure a drum sound, plan it on your drums, tune to it.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    # Plain help: drawing boxes would take longer than all the rest.
    rich_markup_mode=None,
)
app.command("analyse")(analyse_command)
app.command("predict")(predict_command)
app.command("plan")(plan_command)
app.command("sing")(sing_command)
app.command("rescue")(rescue_command)
app.command("render")(render_command)
app.command("practice")(practice_command)
app.command("taps")(taps_command)
app.command("hum")(hum_command)
app.command("wires")(wires_command)
app.command("muffle")(muffle_command)
app.command("next-turns")(next_turns_command)
app.command("sweep")(sweep_command)
app.command("compare")(compare_command)
app.command("moves")(moves_command)
app.command("cures")(cures_command)
app.command("journey")(journey_command)
app.command("way")(way_command)
app.command("pads")(pads_command)
app.command("round")(round_command)
app.command("evening")(evening_command)
app.command("setlist")(setlist_command)
app.command("sessions")(sessions_command)
app.command("start")(start_command)
app.command("kits")(kits_command)
app.command("plans")(plans_command)
app.command("recipes")(recipes_command)
app.command("share")(share_command)
app.command("network")(network_command)
app.command("said")(said_command)
app.command("export")(export_command)
app.command("import")(import_command)
app.command("backup")(backup_command)
app.command("restore")(restore_command)
app.add_typer(accounts_app, name="account")
app.command("serve")(serve_command)
app.command("worker")(worker_command)
app.command("doctor")(doctor_command)


def main() -> None:
    """Run a command; a wrong input ends with one line on standard error and code 2."""
    try:
        app()
    except EmblarError as error:
        print(f"emblar: {error}", file=sys.stderr)
        sys.exit(2)


if __name__ == "__main__":
    main()
