"""Texts for the user at the form, in one table, so that they can be translated.

Texts for the developer (declaration errors, refusals in a test, command-line errors) stay where they are raised.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, TypeVar

T = TypeVar("T")

TEXTS: Final[Mapping[str, str]] = {
    # Findings of declared rules.
    "required.entry": "Enter a value",
    "required.choice": "Choose an item",
    "required.row": "Choose a row",
    "required.tick": "Tick this box",
    "min_length": "Too short. Minimum is {limit} characters",
    "max_length": "Too long: {length} characters. Maximum is {limit}",
    "pattern": "'{text}' isn't in the right format",
    "pattern.example": "'{text}' isn't in the right format. Example: {example}",
    "minimum.number": "Too low: {value}. Minimum is {limit}",
    "maximum.number": "Too high: {value}. Maximum is {limit}",
    "minimum.time": "Too early: {value}. Minimum is {limit}",
    "maximum.time": "Too late: {value}. Maximum is {limit}",
    "offered": "'{text}' is no longer in the list",
    "elsewhere": "{finding} (about the hidden field {caption})",
    # Typed text that isn't a value.
    "parse.number": "'{text}' isn't a number. Example: {example}",
    "parse.percent": "'{text}' isn't a percentage. Example: {example}",
    "parse.integer": "'{text}' isn't a whole number. Example: {example}",
    "parse.money": "'{text}' isn't an amount. Example: {example}",
    "parse.date": "'{text}' isn't a date. Example: {example}",
    "parse.datetime": "'{text}' isn't a date and time. Example: {example}",
    "parse.time": "'{text}' isn't a time. Example: {example}",
    "parse.unreadable": "'{text}' can't be read here",
    "either_way": "{local} or {iso}",
    "decimals.none": "'{text}' has too many decimals. No decimals are allowed",
    "decimals.one": "'{text}' has too many decimals. Maximum is 1 decimal",
    "decimals.more": "'{text}' has too many decimals. Maximum is {limit} decimals",
    "choice.several": "'{text}' matches {count} choices. Pick one from the list",
    "choice.close": "'{text}' isn't in the list. Did you mean '{close}'?",
    "choice.listed": "'{text}' isn't in the list. Choose from {choices}",
    "choice.empty": "'{text}' isn't in the list: the list is empty",
    # Prompts of the form itself.
    "ok": "OK",
    "cancel": "Cancel",
    "yes": "Yes",
    "no": "No",
    "cell.yes": "yes",
    "cell.no": "no",
    "value": "Value",
    "warnings.title": "Check these entries",
    "warnings.go_on": "Go on",
    "warnings.go_back": "Go back",
    "other": "Add '{{entry}}' to {{caption}}?",
    "other.title": "New item",
    "other.add": "Add it",
    "other.once": "Use once",
    "discard": "Discard",
    "keep_editing": "Keep editing",
    "leave": "Save changes to this record?",
    "leave.title": "Unsaved changes",
    "leave.save": "Save",
    "leave.drop": "Don't save",
    "remove": "Remove {{record}}?",
    "remove.title": "Remove record",
    "remove.record": "record {key}",
    "remove.with_lines": "record {key} and {lines}",
    "remove.line": "{count} row in {caption}",
    "remove.lines": "{count} rows in {caption}",
    "remove.and": " and ",
    "remove.yes": "Remove",
    "refused": "Couldn't save: {{reason}}",
    "refused.title": "Not saved",
    "refused.again": "Try again",
    "effect": "{{saved}} But this didn't work: {{effect}} ({{reason}})",
    "effect.saved": "Saved: {saved}.",
    "effect.done": "Your entries are done.",
    "effect.title": "Partly done",
    "effect.leave": "Skip",
    "rest": "{{saved}} But the rest didn't work, and was undone: {{reason}}. Still to do: {{effects}}. Do it now?",
    "rest.do": "Do it now",
    "refused.rest": "{{saved}} But the rest couldn't be saved: {{reason}}",
    "conflict.changed": "{record} was changed by someone else while you were editing it.",
    "conflict.removed": "{record} was removed by someone else while you were editing it.",
    "conflict.record": "Record {key}",
    "conflict.named": "Record {key} ({caption}: {value})",
    "conflict.line": "{caption}, line {place},",
    "conflict.title": "Edit conflict",
    "conflict.theirs": "Use theirs",
    "conflict.mine": "Keep mine",
    "conflict.removing": "You want to remove it.",
    "compare.before": "Before",
    "compare.now": "Now",
    "compare.mine": "Yours",
    "compare.theirs": "Theirs",
    "compare.kept": "unchanged",
    "blank": "blank",
    # What the user reads if the developer's code fails.
    "failure": "{caption} couldn't be updated. The last value is shown",
    "notice.failed": "That didn't work, and nothing was changed",
    "notice.cancelled": "Cancelled, and nothing was changed",
    "notice.locked": "Not possible until this ends: {what}",
    "notice.timed_out": "There was no answer in time, and nothing was changed",
    "notice.rest": "{saved} The rest didn't work, and was undone",
    "notice.refused": "{saved} The rest couldn't be saved: {reason}",
    "notice.pasted": "{caption}: {rows} rows pasted",
    "notice.taken_back": "Undone: {captions}",
    "notice.unfit": "Record {key} can't be shown: '{value}' doesn't fit into {caption}",
    "notice.closed": "{title} was closed, although something failed",
    "notice.effect": "Done, except for: {effect}",
    # Notices: why the last gesture was blocked or cut short.
    "notice.warnings": "Check the warnings, then try again",
    "notice.discard": "Nothing was discarded",
    "notice.stayed": "Stayed on this record",
    "notice.removed": "Nothing was removed",
    "notice.lines_first": "Record {key} still has {count} {caption}. Remove them first",
    "notice.save_first": "{caption}: save this record before adding lines",
    "lines.least": "Too few. At least {least} needed",
    "lines.most": "{caption}: at most {most} allowed",
    "paste.bytes": "Nothing was pasted: this is more than {most} bytes",
    "paste.rows": "Nothing was pasted: {rows} rows are more than the {most} that can be pasted at once",
    "paste.cells": "Nothing was pasted: row {row} has {cells} cells, and from here on a line has {entries} entries",
    "paste.row": "Nothing was pasted: row {row}: {reason}",
    "paste.closed": "{caption} can't be filled in",
    "tick.unreadable": "'{text}' isn't yes or no",
    "notice.line_gone": "this line is no longer there",
    "notice.finding": "{caption}: {finding}",
    "notice.disabled": "{caption} is disabled",
    "notice.hidden": "{caption} is hidden",
    "notice.at": "{caption}: {reason}",
    "notice.cant_leave": "{caption} can't be left: {reason}",
    "notice.no_choice": "'{text}' is no longer a choice",
    "notice.no_record": "Record {key} is no longer among these records",
    "notice.no_position": "no position {position}; the last is {last}",
    "notice.in_front": "{keys}: {title} is open in front",
    "notice.not_typed": "'{text}' was not typed: waiting for {what}",
    # Messages.
    "stray": "{count} rows of {lines} have no record in {records} ({keys})",
    "stray.one": "1 row of {lines} has no record in {records} ({keys})",
    "selected.none": "Nothing is selected. Select a row of {records}",
    "selected.other": "The selected row belongs to {other}. Select a row of {records}",
    "selected.gone": "{records} has no row {key}",
    # What a page says itself.
    "page.close": "Close",
    "page.list": "Show the list",
    "page.first": "First",
    "page.previous": "Previous",
    "page.next": "Next",
    "page.last": "Last",
    "page.new": "New",
    "page.save": "Save",
    "page.remove": "Remove",
    "page.records": "Records",
    "page.go_to": "Go to record",
    "page.add_line": "Add a line",
    "page.remove_line": "Remove this line",
    "page.move_up": "Move up",
    "page.move_down": "Move down",
    "page.forms": "Forms",
    "page.calendar": "Choose from the calendar",
    "page.unusable": "This can't be used now.",
    "page.depends_on": "It depends on:",
    "page.to_check": "to check",
    "page.too_long": "That text is too long to be taken. Nothing was changed.",
    "page.empty": "Nothing to choose from",
    "page.searching": "Searching",
    "page.rows": "Rows",
    "page.stalled": "The connection is slow: no answer yet. What you enter is kept.",
    "page.not_taken": "Not taken:",
    "page.late": "This form was open too long without being used, and has been closed. Nothing was returned.",
    "page.over": "The form is closed. You can close this window.",
    "page.done_accepted": "Done",
    "page.done_cancelled": "Cancelled: nothing was done",
    "page.cancel_call": "Cancel",
    "page.lost": "The connection was lost. Trying again …",
    "page.looks_on": "This form is open in another window. Here you can only look on.",
    "page.elsewhere": "This form isn't open in this browser.",
    "page.script": "This form needs JavaScript.",
    # Positions and values.
    "position": "{place} of {count}",
    "position.new": "new record ({count} saved)",
    "position.outside": "not in this list (of {count})",
    "line": "{lines} {place}, {caption}",
    "line.removed": "(removed)",
    # Why a store can't write; the user reads it after "Couldn't save:".
    "store.changed": "record {key} of '{source}' was changed by someone else",
    "store.removed": "record {key} of '{source}' was removed by someone else",
    "store.busy": "another program has had {name} open for {seconds} seconds; close it and try again",
    "store.gone": "{name} no longer exists",
    "store.duplicate": "'{source}' already has a record {key}",
    "store.needs_key": "a record of '{source}' needs its {column}",
    "store.same_key": "records of '{source}' can't be changed here: {column} {key} stands in several of them",
    "store.blank_key": "records of '{source}' can't be changed here: {column} is blank in some of them",
    "store.comes_back": "{where}: {value} can't be saved; it would be read again as {found}",
    "store.encoding": "'{character}' can't be saved in {encoding}",
    "store.permission": "no permission to write {name}",
    "store.read_only": "{name} is on a read-only disk",
    "store.folder": "{name} is a folder, not a file",
    "store.full": "the disk is full",
    "store.unusable": "can't use {name}: {reason}",
    "store.key_taken": "a record with this key already exists",
    "store.value_missing": "a required value is missing",
    "store.conflict": "other data depends on it, or it depends on data that isn't there",
    "store.check": "a rule of the database refuses it",
    "store.misfit": "a value doesn't fit in its column",
    "store.locked": "another program is writing to {name}; try again",
    "store.read_only_data": "{name} is read-only",
    "store.out_of_reach": "can't use {name}",
    "store.formula": "cell {cell} of '{sheet}' has a formula and can't be written",
    "store.merged": "cell {cell} of '{sheet}' is part of a merged cell and can't be written",
    "store.too_long": "the text has {length} characters; a cell takes at most {limit}",
    "store.digits": "{value} has too many digits; a workbook keeps {limit}",
    "store.no_room": "there is no room for a new line in '{sheet}': something stands in line {line}",
    "store.named_cells": "named cells can be changed but not added or removed",
}
"""Every text that the library itself shows to the user, by id. Names in braces are filled in when it is shown."""


class UserText(str):
    """A text of `TEXTS` before its language is known: in a declaration, or in a store's error. As a str it is English."""

    text_id: str
    facts: Mapping[str, object]


def later(text_id: str, /, **facts: object) -> UserText:
    """Return a text that `said` puts into a session's language.

    Doubled braces stay as names in braces: a prompt fills them in when it is asked.
    """
    text = UserText(TEXTS[text_id].format_map(facts))
    text.text_id, text.facts = text_id, facts
    return text


def user_text(formats: object, text_id: str, /, **facts: object) -> str:
    """Return a text for the user with its facts filled in, in the language of a session's formats."""
    texts: Mapping[str, str] = getattr(formats, "texts", TEXTS)
    return texts.get(text_id, TEXTS[text_id]).format_map({name: said(formats, fact) for name, fact in facts.items()})


def said(formats: object, text: T) -> T | str:
    """Return a text of the library in the language of a session's formats, and anything else as it is."""
    return user_text(formats, text.text_id, **text.facts) if isinstance(text, UserText) else text
