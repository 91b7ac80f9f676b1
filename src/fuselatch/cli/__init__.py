"""The command line: one command a module, each imported when it is called."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module
from importlib.util import find_spec
from typing import Final

import click

from fuselatch.cli.exits import Exit

COMMANDS: Final[Mapping[str, str]] = {
    "demo": "Book berths at a made-up marina and explain each step.",
    "rehearse": "Run cue sheets and print each step's trace.",
    "describe": "Show what a form declares (controls, rules, handlers, prompts, dialogs) as text, JSON or a picture.",
    "generate": "Generate a form from a function or a CSV file.",
    "check": "Find mistakes in forms without running them.",
    "approve": "Run a file's cue sheets and, if they pass, record that it is approved.",
    "flipbook": "Write an HTML page that shows the form at each step of a cue sheet.",
    "timeline": "Draw a trace as a timeline of gestures, events, handlers and waits.",
    "forms": "List the forms in a folder, with their shortcuts.",
    "latches": "List or reset the answers that a latch log remembers.",
}
"""The commands, each in the module of its name, with what it does."""


class LazyGroup(click.Group):
    """Lists the commands without importing them: help answers at once."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """The commands, in the order of the table."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Import the module of a command."""
        if cmd_name not in COMMANDS:
            return None
        command: click.Command = import_module(f"fuselatch.cli.{cmd_name}").command
        return command

    def resolve_command(self, ctx: click.Context, args: list[str]) -> tuple[str | None, click.Command | None, list[str]]:
        """The command that is called; for an unknown one, the closest right name."""
        name = args[0]
        if name not in COMMANDS and not name.startswith("-"):
            from fuselatch.core.model.names import suggest

            ctx.fail(f"unknown command '{name}'; {suggest(name, COMMANDS)}")
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the list from the table alone."""
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


def core_is() -> str:
    """What the core runs as; that is said by where it is found."""
    found = find_spec("fuselatch.core.engine.turn")
    return "pure Python" if found is None or str(found.origin).endswith(".py") else "compiled"


@click.group(cls=LazyGroup, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(package_name="fuse-latch", prog_name="fuselatch", message=f"%(prog)s %(version)s ({core_is()} core)")
def main() -> None:
    """Forms for macros: rehearse them without a screen, and see why each thing happened.

    \b
    Begin with:  fuselatch demo
    Then:        fuselatch rehearse FILE.cues

    Exit codes: 0 all went well, 1 a step or an expectation failed, 2 a wrong call or an unreadable file.
    """


__all__ = ["COMMANDS", "Exit", "main"]
