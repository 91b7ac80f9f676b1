"""The errors, by whose fault they are.

The author's: `DeclarationError`, `UnknownName`, `RuleError`, `NotAllowedHere`, `Blank`,
`FormClosed`, `HandlerFailed`, `FuseBlown`. The person's at the form: `Refused`. `Abandoned` is
none: it tells a waiting handler that its session is being closed.
"""

from __future__ import annotations


class FuseLatchError(Exception):
    """The base of all errors that Fuse Latch raises."""


class DeclarationError(FuseLatchError, TypeError):
    """A form, control, prompt or handler is declared wrongly; says where, why and how to mend it."""


class PolicyError(FuseLatchError, ValueError):
    """A policy file says something that can't be read or that fits no form: file, table, and the closest right name."""


class UnknownName(FuseLatchError, LookupError):
    """There is no control, form, button or fact of that name; names the closest right one."""


class Refused(FuseLatchError, RuntimeError):
    """A person could not even start this gesture; nothing has changed.

    `gesture` is what was tried (text), `reason` what stands in the way (text), `line` the number
    of the trace entry that made it so (int, or None where it isn't known).
    """

    def __init__(self, gesture: str, reason: str, line: int | None = None) -> None:
        super().__init__(f"{gesture}: {reason}" + (f" (trace entry {line})" if line else ""))
        self.gesture = gesture
        self.reason = reason
        self.line = line


class RuleError(FuseLatchError, RuntimeError):
    """A rule, check or default tried to change something or to wait, or rules form a cycle."""


class NotAllowedHere(FuseLatchError, RuntimeError):
    """A call that needs a running handler was made elsewhere, or the session is closing."""


class Blank(FuseLatchError, ValueError):
    """`control.required_value` was read while the control is blank; `control` is its path."""

    def __init__(self, form: str, control: str) -> None:
        super().__init__(f"{form}.{control} is blank; check {control}.is_blank first, or use {control}.value")
        self.form = form
        self.control = control


class FormClosed(FuseLatchError, RuntimeError):
    """Something was set on, or asked of, a form that has been closed."""


class HandlerFailed(FuseLatchError, RuntimeError):
    """Code of the author raised; the gesture it belonged to has been put back.

    `where` is the author's file and line (`(str, int)`), `error` what was raised, `chain` the
    causes from the failing code back to the gesture (tuple of text), `gesture` the gesture that
    was put back (text). The original exception is `__cause__`.
    """

    def __init__(self, where: tuple[str, int], error: BaseException, chain: tuple[str, ...], gesture: str) -> None:
        self.where = where
        self.error = error
        self.chain = chain
        self.gesture = gesture
        super().__init__(f"{where[0]}:{where[1]}: {describe(error)}; {self.story}")

    @property
    def story(self) -> str:
        """The chain of causes and what became of the gesture, without the place and the error."""
        return f"in {' ← '.join(self.chain)}; undone: {self.gesture}"


class FuseBlown(HandlerFailed):
    """Handlers kept setting each other off; `loop` is the round of events and handlers (tuple of text)."""

    def __init__(
        self, where: tuple[str, int], error: BaseException, chain: tuple[str, ...], gesture: str, loop: tuple[str, ...]
    ) -> None:
        super().__init__(where, error, chain, gesture)
        self.loop = loop


class Runaway(FuseLatchError, RecursionError):
    """What a `FuseBlown` reports as its error: too many handler runs in one gesture or chain."""


class Abandoned(BaseException):
    """Thrown into a waiting handler when its session closes; `finally` blocks run."""


def describe(error: BaseException) -> str:
    """The class and text of an exception on one line; a broken `__str__` never breaks a report."""
    try:
        text = " ".join(str(error).split())
    except Exception:
        text = "(no message available)"
    return f"{type(error).__name__}: {text}" if text else type(error).__name__
