"""The command line: one module for each command, imported when it is called."""

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
    "show": "Bring up a form in the browser and print what was entered.",
    "describe": "Show what a form declares (controls, rules, handlers, prompts, dialogs) as text, JSON or a picture.",
    "generate": "Generate a form from a function or a CSV file.",
    "check": "Find mistakes in forms without running them.",
    "approve": "Run a file's cue sheets and, if they pass, record that it is approved.",
    "flipbook": "Write an HTML page that shows the form at each step of a cue sheet.",
    "timeline": "Draw a trace as a timeline of gestures, events, handlers and waits.",
    "forms": "List the forms in a folder, with their shortcuts.",
    "scenes": "List the scenes that cue sheets can open.",
    "latches": "List or reset the answers that a latch log remembers.",
}
"""The commands and their one-line help. Each is in the module of its name."""


class LazyGroup(click.Group):
    """A group that lists its commands without importing them, so that help is fast."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        command: click.Command = import_module(f"fuselatch.cli.{cmd_name}").command
        return command

    def resolve_command(self, ctx: click.Context, args: list[str]) -> tuple[str | None, click.Command | None, list[str]]:
        """Return the command to run; suggest the closest name for an unknown one."""
        name = args[0]
        if name not in COMMANDS and not name.startswith("-"):
            from fuselatch.core.model.names import suggest

            ctx.fail(f"unknown command '{name}'; {suggest(name, COMMANDS)}")
        return super().resolve_command(ctx, args)

    def invoke(self, ctx: click.Context) -> object:
        """Run the command. An error of a form or of the library is one line, never a traceback."""
        from fuselatch.core.model.errors import FuseLatchError

        try:
            return super().invoke(ctx)
        except FuseLatchError as error:
            raise click.ClickException(" ".join(str(error).split())) from None

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


def core_is() -> str:
    """Return "compiled" or "pure Python"."""
    found = find_spec("fuselatch.core.engine.state")
    return "pure Python" if found is None or str(found.origin).endswith(".py") else "compiled"


@click.group(cls=LazyGroup, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(package_name="fuse-latch", prog_name="fuselatch", message=f"%(prog)s %(version)s ({core_is()} core)")
def main() -> None:
    """Declare small forms in Python, test them without a screen, and see why each thing happened.

    \b
    Start with:  fuselatch demo
    Then:        fuselatch rehearse FILE.cues

    Exit codes: 0 success, 1 a step, check or approval failed, 2 a wrong option or an unreadable file.
    """


__all__ = ["COMMANDS", "Exit", "main"]
