"""The command line: one module for each command, imported when it is called."""

from __future__ import annotations

import errno
import os
import sys
from collections.abc import Callable, Mapping
from importlib import import_module
from importlib.util import find_spec
from typing import Any, Final

import click

from fuselatch.cli.exits import Exit

COMMANDS: Final[Mapping[str, str]] = {
    "demo": "Book berths at a made-up marina and explain each step.",
    "rehearse": "Run cue sheets and print each step's trace.",
    "show": "Show a form in the browser and print what was entered.",
    "describe": "Show what a form declares (controls, rules, handlers, prompts, dialogs) as text, JSON or a picture.",
    "generate": "Generate a form from a function or a CSV file.",
    "check": "Find mistakes in forms without running them.",
    "explore": "Search a form for faults, and write a cue sheet that shows each.",
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

    def main(self, *args: object, **named: object) -> Any:
        """Run a command and exit with 0, 1 or 2. Whatever happens is told in one line, never as a traceback."""
        run: Callable[..., object] = super().main
        if not named.pop("standalone_mode", True):
            return run(*args, standalone_mode=False, **named)
        from fuselatch.cli.out import drop, flush_or_drop, ready_streams

        ready_streams()
        try:
            code = ended(lambda: run(*args, standalone_mode=False, **named))
            failed = flush_or_drop()
        except OSError as error:
            code, failed = Exit.UNREADABLE, error
            drop(sys.stdout)
        if isinstance(failed, BrokenPipeError):
            # The reader has seen enough: `fuselatch … | head`.
            code = Exit.OK
        elif failed is not None:
            code = Exit.UNREADABLE
            click.echo(f"fuselatch: can't write: {failed.strerror or failed}", err=True)
        sys.exit(code)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


def core_is() -> str:
    """Return "compiled" or "pure Python"."""
    spec = find_spec("fuselatch.core.engine.state.turns")
    return "pure Python" if spec is None or str(spec.origin).endswith(".py") else "compiled"


def has_folder() -> bool:
    """Return True if the current folder exists."""
    try:
        os.getcwd()
    except OSError:
        return False
    return True


def ended(run: Callable[[], object]) -> int:
    """Run a command and return its exit code; report what it raises."""
    from fuselatch.cli.out import say, say_all, say_wrong
    from fuselatch.cli.problems import problem, usage_problem
    from fuselatch.core.model.errors import FuseLatchError

    try:
        code = run()
        return code if isinstance(code, int) else Exit.OK
    except SystemExit as error:
        return error.code if isinstance(error.code, int) and error.code in (*Exit,) else Exit.UNREADABLE
    except BrokenPipeError:
        raise
    except click.Abort:
        say("stopped", err=True)
    except click.exceptions.NoArgsIsHelpError as error:
        # Its message is the help.
        say_all(error.message.split("\n"))
        return Exit.OK
    except click.UsageError as error:
        say_wrong(usage_problem(error))
    except click.ClickException as error:
        say_wrong(error.format_message())
        return error.exit_code
    except OSError as error:
        if error.filename is None and error.errno in (errno.ENOSPC, errno.EIO):
            raise
        say_wrong(problem(error) if error.filename or has_folder() else "the current folder isn't there any more")
    except FuseLatchError as error:
        say_wrong(" ".join(str(error).split()))
        return Exit.FAILED
    except KeyboardInterrupt:
        say("stopped", err=True)
    except Exception as error:
        if os.environ.get("FUSELATCH_DEBUG"):
            raise
        say_wrong(f"{type(error).__name__}: {error} (an error of Fuse Latch; FUSELATCH_DEBUG=1 shows where)")
    return Exit.UNREADABLE


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
