"""Two forms of one class, prompts with one title, lines that move, and a handler that fails: what `why` tells of them."""

from __future__ import annotations

from fuselatch import Button, Form, Group, Integer, Lines, Prompt, Text


class Item(Group):
    """One line."""

    what = Text("What")
    size = Integer("Size", value=lambda item: len(item.what.value))


class Side(Form, title="Side"):
    """A form that may be open twice."""

    said = Text("Said")
    echo = Text("Echo")
    first = Prompt("First?", title="Sure", buttons=("Yes", "No"))
    second = Prompt("Second?", title="Sure", buttons=("Yes", "No"))
    ask_one = Button("One")
    ask_two = Button("Two")

    @said.changed
    def repeat(self) -> None:
        """Repeat what was said."""
        self.echo.value = self.said.value

    @ask_one.clicked
    def ask_first(self) -> None:
        """Ask both."""
        self.ask(self.first)
        self.ask(self.second)

    @ask_two.clicked
    def ask_second(self) -> None:
        """Ask the second."""
        self.ask(self.second)


class Main(Form, title="Main"):
    """Lines, other forms, and handlers of one event of which one fails."""

    items = Lines(Item, "Items")
    side = Button("Side")
    go = Button("Go")

    @side.clicked
    def show_side(self) -> None:
        """Show another side."""
        self.show(Side)

    @go.clicked
    def before(self) -> None:
        """Come first."""
        self.say("before")

    @go.clicked
    def fails(self) -> None:
        """Fail."""
        raise KeyError("x")

    @go.clicked
    def never(self) -> None:
        """Come last."""
        self.say("never")
