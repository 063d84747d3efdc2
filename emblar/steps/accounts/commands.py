"""``emblar account``: who may come in where others reach Emblar."""

import sys
from typing import Annotated

import typer

from emblar.frame.commands import print_json

accounts_app = typer.Typer(help="Who may come in where others reach Emblar.", no_args_is_help=True)


@accounts_app.command("add")
def add_command(
    name: Annotated[str, typer.Argument(help="What somebody logs in with")],
    role: Annotated[str, typer.Option(help="owner, tech or guest")] = "tech",
    stdin: Annotated[
        bool, typer.Option("--password-stdin", help="Read the password from standard input")
    ] = False,
) -> None:
    """Add an account; the password is asked for, twice."""
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.accounts.actions import add_account

    if stdin:
        password = sys.stdin.readline().rstrip("\n")
    else:
        password = typer.prompt("Password", hide_input=True, confirmation_prompt=True)
    with database_at_hand():
        account = add_account(HERE.studio_id, name, role, password)
    sys.stdout.write(f"{account.name} may come in as {account.role}.\n")


@accounts_app.command("list")
def list_command() -> None:
    """List the accounts as emblar.accounts/1 JSON."""
    from emblar.formats.studio import AccountLine, AccountsFile
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.accounts.actions import accounts

    with database_at_hand():
        rows = [AccountLine(id=a.id, name=a.name, role=a.role) for a in accounts(HERE)]
    print_json(AccountsFile(accounts=rows))


@accounts_app.command("end")
def end_command(
    account: Annotated[int, typer.Argument(help="The account's id, as the list has it")],
) -> None:
    """End an account: it is logged out everywhere and comes in no more."""
    from emblar.platform.running_database import database_at_hand
    from emblar.platform.studio import HERE
    from emblar.steps.accounts.actions import end_account

    with database_at_hand():
        ended = end_account(HERE, account)
    sys.stdout.write(f"{ended.name} comes in no more.\n")
