"""Any form reads another that happens to be open, and is blank where it is not."""

from __future__ import annotations

from fuselatch import Button, Form, Label, Text, from_open


class MemberForm(Form, title="Member", keys="Ctrl+M"):
    """A member of the boat club. Without a single handler it works like any other form."""

    member = Text("Member", default="Imke Brandal")
    done = Button("Done", closes="cancelled")


class GuestForm(Form, title="Guest", keys="Ctrl+G"):
    """A guest, with the member who brought them where that form is open."""

    host = Text("Host", default=from_open(MemberForm, "member"))
    now_open = Label("Now open", value=lambda form: form.who_is_open())
    again = Button("Read again")
    done = Button("Done", closes="cancelled")

    def who_is_open(self) -> str:
        """Followed live: it changes when a MemberForm opens, closes or settles."""
        other = self.session.find(MemberForm)
        return other.member.value if other is not None else "no member"

    @again.clicked
    def read_again(self) -> None:
        """Settled values only; a pending draft is noted in the trace."""
        other = self.session.find(MemberForm)
        self.host.value = other.member.value if other is not None else ""


class FrontDesk(Form, title="Front desk", at_start=True):
    """What the day begins with; the other two open by their shortcuts."""

    note = Text("Note")
