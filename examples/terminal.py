"""A front end for a terminal. `NAME TEXT` enters, `NAME` presses or ticks, an empty line is Tab, `!` closes."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from stay import Stay

from fuselatch import Form, FuseLatchError
from fuselatch.frontends import ControlView, Gesture, Session, View


def draw(view: View) -> list[str]:
    """Return the front form as lines, and the prompt or notice below it."""
    lines = []
    for form in view.forms[-1:]:
        lines += [f"--- {form.title}", *(draw_control(control) for control in form.controls), *filter(None, [form.message])]
    if view.prompt is not None:
        lines += [f"*** {view.prompt.title}: {view.prompt.text}", f"    answer with {' or '.join(view.prompt.buttons)}"]
    return [*lines, *filter(None, [view.notice or (view.failure.text if view.failure else "")])]


def draw_control(control: ControlView) -> str:
    """Return one control as a line."""
    value = {"tick": "x" if control.value else "-", "button": ""}.get(control.shape, f"{control.text} {control.unit}")
    caption = control.caption + (" *" if control.required else "") + ("" if control.enabled else " (off)")
    marker = f"   ! {control.marker}" if control.marker else ""
    return f"{'>' if control.focused else ' '} {control.name:<10} {caption:<18} {value}{marker}".rstrip()


def gesture_of(view: View, line: str) -> Gesture:
    """Return what a line means at this view."""
    if view.prompt is not None:
        return Gesture(verb="answer", text=line, view_serial=view.serial)
    name, _, text = line.partition(" ")
    found = next((control for control in view.forms[-1].controls if control.name == name), None)
    if line in ("", "!"):
        return Gesture(verb="close" if line else "tab", view_serial=view.serial)
    if found is not None and not text:
        verb = {"tick": "untick" if found.value else "tick", "button": "press"}.get(found.shape, "focus")
        return Gesture(verb=verb, control=name, view_serial=view.serial)
    return Gesture(
        verb="pick" if found and found.shape in ("choice", "table") else "type",
        control=name,
        text=text,
        view_serial=view.serial,
    )


def run(form: type[Form], read: Callable[[str], str] = input, write: Callable[[str], object] = print) -> Session:
    """Show a form until it is closed; return the session."""
    session = Session(form, clock=datetime.now)
    while not session.is_done:
        write("\n".join(draw(session.view)))
        line = read("> ").strip()
        try:
            session.feed(gesture_of(session.view, line))
        except FuseLatchError as error:
            write(f"    {error}")
    return session


if __name__ == "__main__":
    print(run(Stay).outcome)
