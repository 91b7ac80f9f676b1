"""Explore forms: let the library search for faults, and get a cue sheet that shows each."""

from fuselatch.exploring.exploration import Exploration, Named, explore
from fuselatch.exploring.faults import KINDS, Fault
from fuselatch.exploring.known import KnownError, read_known

__all__ = ["KINDS", "Exploration", "Fault", "KnownError", "Named", "explore", "read_known"]
