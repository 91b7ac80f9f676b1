"""The gestures that a front end fed, as a cue sheet."""

from __future__ import annotations

from fuselatch.core.engine.session import Session
from fuselatch.core.model.errors import FuseLatchError, Refused
from fuselatch.core.model.gestures import Gesture
from fuselatch.rehearsal.folding import Fed, folded
from fuselatch.rehearsal.picking import words_for_item
from fuselatch.rehearsal.recorder import cue_line, heading
from fuselatch.scenes import Scene


class FedGestures:
    """Keeps what is fed to a session, except what came too late."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.fed: list[Fed] = []
        self._since = session.read_at
        session.keep_fed(self.keep)

    def keep(self, gesture: Gesture, front: str, error: FuseLatchError | None) -> None:
        """Keep a gesture that was fed. Where the time was fed, a cue sheet waits."""
        if gesture.verb == "time":
            now = self.session.read_at
            passed = int((now - self._since).total_seconds()) if now is not None and self._since is not None else 0
            self._since = now
            gesture = Gesture(verb="wait", text=f"{passed}s")
        if not (isinstance(error, Refused) and error.is_stale):
            which = words_for_item(self.session, gesture)
            self.fed.append(Fed(gesture, front, type(error) if error is not None else None, which, self.session.read_at))

    def as_cues(self, scene: Scene, origin: str) -> str:
        """Return a cue sheet that does the same. `origin`: its line that opens the scene."""
        lines = [*heading(scene, origin), *(cue_line(step, False) for step in folded(self.fed))]
        return "".join(f"{line}\n" for line in lines)
