"""A form reads another open form. If that form isn't open, the value is blank."""

from __future__ import annotations

from fuselatch import Button, Form, Label, Text, from_open


class MemberForm(Form, title="Member", keys="Ctrl+M"):
    """Enter a member of the boat club. A form needs no handlers."""

    member = Text("Member", default="Imke Brandal")
    done = Button("Done", closes="cancelled")


class GuestForm(Form, title="Guest", keys="Ctrl+G"):
    """Enter a guest, with the member who brought them if that form is open."""

    host = Text("Host", default=from_open(MemberForm, "member"))
    now_open = Label("Now open", value=lambda form: form.who_is_open())
    again = Button("Read again")
    done = Button("Done", closes="cancelled")

    def who_is_open(self) -> str:
        """Return the open form's member. The rule runs again when a MemberForm opens, closes or settles."""
        other = self.session.find(MemberForm)
        return other.member.value if other is not None else "no member"

    @again.clicked
    def read_again(self) -> None:
        """Copy the settled value. A pending draft is noted in the trace."""
        other = self.session.find(MemberForm)
        self.host.value = other.member.value if other is not None else ""


class FrontDesk(Form, title="Front desk", at_start=True):
    """Start the day. The other two forms open by their shortcuts."""

    note = Text("Note")
