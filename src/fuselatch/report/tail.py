"""What a failure shows of a session: the last lines of its trace, and why something was as it was."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from fuselatch.core.engine.session import Session
from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.trace import TraceEntry
from fuselatch.core.model.words import phrase


def tail(trace: Sequence[TraceEntry], count: int) -> list[str]:
    """The last lines of a trace, each with its number."""
    return [f"{entry.number} {phrase(entry)}" for entry in trace[-count:]]


def why_of(session: Session | None, looked: str) -> Iterator[str]:
    """Why something is as it is: of the longest ending of `looked` that can be asked about; nothing where none can.

    `looked` may be an expectation ("not berth.value N7") or a line of Python ("desk.form.berth.value").
    """
    if session is None:
        return
    words = looked.removeprefix("not ").split()
    parts = words[0].split(".") if words else []
    for start in range(len(parts) - 1):
        try:
            answer = session.why(".".join(parts[start:]).replace(".text", ".value"))
        except (FuseLatchError, AttributeError):
            continue
        yield from answer.splitlines()
        return
