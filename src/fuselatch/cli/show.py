"""`fuselatch show FORM`"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, redirect_stdout
from pathlib import Path
from typing import Any, Final, TypedDict, Unpack

import click

from fuselatch.cli.exits import Exit
from fuselatch.cli.options import from_folders, policy_file
from fuselatch.cli.out import say, say_json, say_wrong
from fuselatch.cli.problems import end


class SessionWords(TypedDict):
    """The options of the session, as they are typed."""

    user: str | None
    records: str | None
    at: str | None
    policy: Path | None


THEME_FILE: Final = click.Path(exists=True, dir_okay=False, path_type=Path)


@click.command(name="show")
@click.argument("reference", metavar="MODULE:FORM|MODULE:SCENE|FOLDER")
@click.option("--port", type=click.IntRange(0, 65535), default=0, metavar="N", help="The port; 0 takes a free one.")
@click.option("--no-browser", is_flag=True, help="Print the address and open no browser.")
@click.option("--theme", type=THEME_FILE, metavar="FILE", help="How the page looks (TOML).")
@click.option("--user", metavar="NAME", help="The user's name.")
@click.option("--records", metavar="ADDRESS", help="Read and write records at this address (see rehearse).")
@click.option("--at", "at", metavar="KEY", help="Open the form at the record with this key.")
@click.option("--json", "as_json", is_flag=True, help="Print the outcome as JSON.")
@click.option("--approved-only", is_flag=True, help="Import only what is approved, and fail if anything has changed since.")
@from_folders
@policy_file
def command(
    reference: str,
    port: int,
    no_browser: bool,
    theme: Path | None,
    as_json: bool,
    approved_only: bool,
    folders: tuple[Path, ...],
    **session: Unpack[SessionWords],
) -> None:
    """Show a form in the browser, and print the outcome once it is closed.

    The form or scene is looked up in installed packages, in the current folder and in each --from FOLDER. The forms of a
    FOLDER are listed on a start page, and can be opened and closed until the page is left. The page is for this computer
    only.

    Exit codes: 0 accepted (or the start page was left), 1 any other verdict, 2 an error.
    """
    from fuselatch.core.model.errors import FuseLatchError
    from fuselatch.rehearsal.loading import importing_from

    offered = Path(reference) if Path(reference).is_dir() else None
    if offered is not None and (session["at"] is not None or as_json):
        raise click.UsageError("--at and --json are for one form; name it as MODULE:FORM")
    places = [Path.cwd(), *(folder.resolve() for folder in folders)]
    try:
        from fuselatch.frontends.page.showing import show_form
        from fuselatch.frontends.page.themes import Theme

        with redirect_stdout(sys.stderr), importing_from(places), allowed(approved_only, reference, offered, places):
            given = session_options(session)
            looks = Theme.read(theme) if theme is not None else None
            shown = what_to_show(reference, offered)
            outcome = show_form(shown, port=port, browser=not no_browser, theme=looks, **given)
    except (FuseLatchError, ImportError, OSError, TypeError, ValueError) as error:
        end(error)
    if offered is not None:
        return
    if as_json:
        say_json(outcome.to_dict(), None)
    else:
        say(outcome.verdict)
        for name, value in outcome.to_dict()["values"].items():
            say(f"  {name}: {'' if value is None else value}")
    sys.exit(Exit.OK if outcome.accepted else Exit.FAILED)


def session_options(words: SessionWords) -> dict[str, object]:
    """Return the options of the session that were given. Raises what opening the store or reading the policy raises."""
    from fuselatch.core.forms.places import KeyInWords
    from fuselatch.policy import Policy
    from fuselatch.stores.addresses import open_records

    read: dict[str, Callable[[Any], object]] = {
        "user": str,
        "policy": Policy.load,
        "records": open_records,
        "at": KeyInWords,
    }
    given: Mapping[str, Any] = words
    return {name: read[name](value) for name, value in given.items() if value is not None}


def what_to_show(reference: str, offered: Path | None) -> Any:
    """Return the form or scene that is named, or a scene that offers a folder's forms."""
    from fuselatch.rehearsal.loading import LoadError, forms_in, load
    from fuselatch.scenes import Scene

    if offered is None:
        return load(reference, "form or scene")
    offers = forms_in(offered, say_wrong)
    if not offers:
        raise LoadError(f"{offered} has no forms; name a folder with Python files that define some")
    return Scene(forms=offers)


@contextmanager
def allowed(approved_only: bool, reference: str, offered: Path | None, places: list[Path]) -> Iterator[None]:
    """Import what is shown, if so chosen only what is approved."""
    if not approved_only:
        yield
        return
    from fuselatch.rehearsal.approval import Approved, file_of, only_approved
    from fuselatch.rehearsal.fresh_imports import NotApproved

    ledger = Approved()
    files = sorted(offered.resolve().glob("*.py")) if offered is not None else file_of(reference.partition(":")[0], places)
    with only_approved(files, ledger):
        yield
    if ledger.objection:
        # The developer's code has caught what an import raised.
        raise NotApproved(ledger.objection)
