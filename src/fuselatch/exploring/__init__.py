"""Explore forms: let the library search for faults, and get a cue sheet that shows each."""

from typing import TYPE_CHECKING

from fuselatch.lazily import lazily

if TYPE_CHECKING:
    from fuselatch.exploring.exploration import Exploration as Exploration
    from fuselatch.exploring.exploration import Named as Named
    from fuselatch.exploring.exploration import explore as explore
    from fuselatch.exploring.faults import KINDS as KINDS
    from fuselatch.exploring.faults import Fault as Fault
    from fuselatch.exploring.known import KnownError as KnownError
    from fuselatch.exploring.known import read_known as read_known

WHERE = {
    "fuselatch.exploring.exploration": ("Exploration", "Named", "explore"),
    "fuselatch.exploring.faults": ("KINDS", "Fault"),
    "fuselatch.exploring.known": ("KnownError", "read_known"),
}
"""The module of each public name."""

if not TYPE_CHECKING:
    __getattr__, __dir__ = lazily(__name__, WHERE)
