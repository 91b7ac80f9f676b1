"""The command line: one command a module, each imported when it is called."""

from __future__ import annotations

from collections.abc import Mapping
from importlib import import_module
from importlib.util import find_spec
from typing import Final

import click

from fuselatch.cli.exits import Exit

COMMANDS: Final[Mapping[str, str]] = {
    "demo": "Book berths at a made-up marina, and see what happened and why.",
    "rehearse": "Perform cue sheets and show the trace of each step.",
    "describe": "Show what a form declares: controls, rules, handlers, prompts, dialogs; as text, JSON or a picture.",
    "draft": "Write a form from a function's parameters, or from the header of a table.",
    "check": "Read forms and tell what can never work, with file, line and mend.",
    "approve": "Note that a file of forms is approved, once its cue sheets pass.",
    "flipbook": "Write a page with a drawing of the form at each step of a cue sheet.",
    "timeline": "Draw a trace: gestures, events, handlers and waiting times.",
    "forms": "List the forms of a folder, with what each is for and its shortcut.",
    "latches": "List what a latch log remembers, or have it asked again.",
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

            ctx.fail(f"there is no command '{name}'; {suggest(name, COMMANDS)}")
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the list from the table alone."""
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


def core_is() -> str:
    """What the core runs as; that is said by where it is found."""
    found = find_spec("fuselatch.core.engine.turn")
    return "plain Python" if found is None or str(found.origin).endswith(".py") else "compiled"


@click.group(cls=LazyGroup, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(
    package_name="fuse-latch", prog_name="fuselatch", message=f"%(prog)s %(version)s; the core is {core_is()}"
)
def main() -> None:
    """Forms for macros: rehearse them without a screen, and see why each thing happened.

    \b
    Begin with:  fuselatch demo
    Then:        fuselatch rehearse FILE.cues

    Exit codes: 0 all went well, 1 a step or an expectation failed, 2 a wrong call or an unreadable file.
    """


__all__ = ["COMMANDS", "Exit", "main"]
