"""The text of a failure: the last trace entries, and why."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from fuselatch.core.engine.session import Session
from fuselatch.core.model.errors import FuseLatchError
from fuselatch.core.model.trace import TraceEntry
from fuselatch.core.model.words import phrase


def tail(trace: Sequence[TraceEntry], count: int) -> list[str]:
    """Return the last entries of a trace, numbered."""
    return [f"{entry.number} {phrase(entry)}" for entry in trace[-count:]]


def why_of(session: Session | None, looked: str) -> Iterator[str]:
    """Explain the longest ending of `looked` that can be asked about.

    `looked`: an expectation ("not berth.value N7") or Python ("desk.form.berth.value").
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
