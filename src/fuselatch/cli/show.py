"""`fuselatch show FORM`"""

from __future__ import annotations

import sys
from contextlib import redirect_stdout
from pathlib import Path

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders, policy_file
from fuselatch.cli.out import say, say_json
from fuselatch.cli.problems import end


@click.command(name="show")
@click.argument("reference", metavar="MODULE:FORM|MODULE:SCENE")
@click.option("--port", type=click.IntRange(0, 65535), default=0, metavar="N", help="The port; 0 takes a free one.")
@click.option("--no-browser", is_flag=True, help="Print the address and open no browser.")
@click.option("--user", metavar="NAME", help="The user's name.")
@click.option("--records", metavar="ADDRESS", help="Read and write records at this address (see rehearse).")
@click.option("--at", "at", metavar="KEY", help="Open the form at the record with this key.")
@click.option("--json", "as_json", is_flag=True, help="Print the outcome as JSON.")
@from_folders
@policy_file
def command(
    reference: str,
    port: int,
    no_browser: bool,
    user: str | None,
    records: str | None,
    at: str | None,
    as_json: bool,
    folders: tuple[Path, ...],
    policy: Path | None,
) -> None:
    """Bring up a form in the browser, and print the outcome once it is closed.

    The form or scene is looked up in installed packages, in the current folder and in each --from FOLDER. The page is for
    this computer only.

    Exit codes: 0 accepted, 1 any other verdict, 2 an error.
    """
    from fuselatch.core.forms.places import KeyInWords
    from fuselatch.core.model.errors import FuseLatchError
    from fuselatch.policy import Policy
    from fuselatch.rehearsal.loading import importing_from, load
    from fuselatch.stores.addresses import open_records

    try:
        from fuselatch.frontends.page.filling import fill_in

        with redirect_stdout(sys.stderr), importing_from([Path.cwd(), *(folder.resolve() for folder in folders)]):
            rules = Policy.load(policy) if policy is not None else None
            options = {
                "user": user,
                "policy": rules,
                "records": open_records(records) if records is not None else None,
                "at": KeyInWords(at) if at is not None else None,
            }
            given = {name: value for name, value in options.items() if value is not None}
            outcome = fill_in(load(reference, "form or scene"), port=port, browser=not no_browser, **given)
    except (FuseLatchError, ImportError, OSError, TypeError, ValueError) as error:
        end(error)
    if as_json:
        say_json(outcome.to_dict(), None)
    else:
        say(outcome.verdict)
        for name, value in outcome.to_dict()["values"].items():
            say(f"  {name}: {'' if value is None else value}")
    sys.exit(Exit.OK if outcome.accepted else Exit.FAILED)
