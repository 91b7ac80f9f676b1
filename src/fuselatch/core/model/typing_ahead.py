"""Find texts that typed letters may mean, in lists of any length.

Theory of operation
-------------------
Letters find texts that start with them, then texts with a word that does; case and accents don't count (a *fold* makes
texts comparable). `Ahead` answers by bisection of sorted keys: a look-up compares some twenty texts. `Scan` looks at all
texts, and remembers which matched, so that the next letter looks at those only. Both find the same, in the same order.

`Making` makes an `Ahead` in parts, each as small as its caller wants, so that it can be done between two keys. Sorting a
million texts at once takes seconds. So they are first dealt out to buckets, whose bounds are taken from a sample, and each
bucket is sorted in runs that are merged. Together that is the order of sorting all of them.

    texts              Eider, eider duck, Tern of Eider
    order              Eider, eider duck, Tern of Eider
    words              duck (1), Eider (2), of Eider (2)
    find "eid"         0, 1 by their beginning, 2 by a word
"""

from __future__ import annotations

import re
import unicodedata
from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Generator, Iterable, Sequence
from heapq import merge
from typing import Final, TypeAlias

Fold: TypeAlias = Callable[[str], str]
"""A function that returns text as it is compared, to find it."""
COUNTED: Final = 1_000
"""How many matches are counted."""
HIGHEST: Final = "\U0010ffff"
NO_WORD: Final = re.compile(r"[\W_]")
SAMPLE: Final = 4096
"""How many texts the bounds of buckets are taken from."""
BUCKET: Final = 4_000
"""About how many texts are in a bucket; longer ones are sorted in runs of so many."""
SHIFT: Final = 32
MASK: Final = (1 << SHIFT) - 1


def folded(text: str) -> str:
    """Return text without case and accents, for comparing."""
    if text.isascii():
        return text.lower()
    parts = unicodedata.normalize("NFKD", text.casefold())
    return "".join([part for part in parts if not unicodedata.combining(part)])


def spaced(key: str) -> str:
    """Return folded text with spaces for everything but letters and digits."""
    return key if key.replace(" ", "").isalnum() else NO_WORD.sub(" ", key)


def words_of(key: str) -> list[str]:
    """Return the rest of a folded text from each word on, but the first."""
    if key.isalnum():
        return []
    words: list[str] = []
    rest = spaced(key).partition(" ")[2]
    while rest:
        words.append(rest)
        rest = rest.partition(" ")[2]
    return words


def bounds_of(keys: Iterable[str], count: int) -> list[str]:
    """Return bounds between buckets, from a sample of their keys."""
    sample = sorted(keys)
    return sample[:: max(1, len(sample) * BUCKET // max(1, count))]


class Places:
    """The positions of items, noted in parts, from the last item to the first.

    In shards, since a dict of a million that grows stops everything for 50 ms. They are of unequal sizes, so that they don't
    grow at the same time.
    """

    __slots__ = ("left", "shards")

    def __init__(self, count: int) -> None:
        self.left = count
        many = 1 + count // SHARD
        # By the hash of an item; a dict may stand for several.
        self.shards: list[dict[object, int]] = []
        for at in range(many):
            one: dict[object, int] = {}
            share = 1 if many == 1 else round(SPREAD / many * 2 ** (at / many) / MEAN) or 1
            self.shards += [one] * share

    def note(self, items: Sequence[object], count: int) -> None:
        """Note so many more items. Raises `TypeError` if they can't be looked up."""
        shards, many = self.shards, len(self.shards)
        start = max(0, self.left - count)
        # Backwards, so that the first of equal items is found.
        for at in range(self.left - 1, start - 1, -1):
            item = items[at]
            shards[hash(item) % many][item] = at
        self.left = start

    def of(self, item: object) -> int | None:
        """Return the position of the first item that is equal, or None. Raises `TypeError` if it can't be looked up."""
        return self.shards[hash(item) % len(self.shards)].get(item)


SHARD: Final = 30_000
"""About how many items are in one dict."""
SPREAD: Final = 4_096
"""Into how many parts hashes are dealt."""
MEAN: Final = 1.4427
"""The mean share: the largest dict has twice as many items as the smallest."""


class Making:
    """An index for typing ahead that is made in parts."""

    __slots__ = ("fold", "steps", "texts")

    def __init__(self, texts: Sequence[str], fold: Fold) -> None:
        self.texts = texts
        self.fold = fold
        self.steps: Generator[Ahead | None, int, None] = self._steps()
        # Runs to the first `yield`, which takes the size of a part.
        next(self.steps)

    def some(self, items: int) -> Ahead | None:
        """Go on for about so many items; return the index when it is finished."""
        return self.steps.send(max(1, items))

    def _steps(self) -> Generator[Ahead | None, int, None]:
        texts, fold = self.texts, self.fold
        room = yield None
        # Made at once, one bucket is quickest.
        some = texts[:: max(1, len(texts) // SAMPLE)] if room < len(texts) else ()
        by_text = bounds_of([fold(text) for text in some], len(texts))
        room = yield None
        by_word = bounds_of([word for text in some for word in words_of(fold(text))], len(texts))
        # Only positions are kept, and texts folded again where they are sorted: that needs far less memory.
        of_texts = [array("I") for _ in range(len(by_text) + 1)]
        of_words = [array("Q") for _ in range(len(by_word) + 1)]
        room = yield None
        for at, text in enumerate(texts):
            key = fold(text)
            of_texts[bisect_right(by_text, key)].append(at)
            for rest in words_of(key):
                # The rest after a word start is found again by its length.
                of_words[bisect_right(by_word, rest)].append(at << SHIFT | len(rest))
            room -= 1
            if room <= 0:
                room = yield None
        made = Ahead(texts, array("I"), array("Q"), fold)
        for buckets, places, key_of in ((of_texts, made.order, made.key), (of_words, made.words, made.word)):
            for bucket in buckets:
                runs: list[tuple[list[str], list[int]]] = []
                for start in range(0, len(bucket), BUCKET):
                    codes = bucket[start : start + BUCKET].tolist()
                    keys: list[str] = []
                    for code in codes:
                        keys.append(key_of(code))
                        room -= 1
                        if room <= 0:
                            room = yield None
                    order = sorted(range(len(keys)), key=keys.__getitem__)
                    runs.append(([keys[at] for at in order], [codes[at] for at in order]))
                if len(runs) == 1:
                    places.extend(runs[0][1])
                    continue
                # Many equal texts are all in one bucket, so that it may be far larger than others. Codes ascend, so that
                # equal keys stay in the order of the list.
                ordered = merge(*[zip(keys, codes, strict=True) for keys, codes in runs])
                # Each run is let go of once it is merged: a million texts that go at once take 50 ms.
                runs.clear()
                for _, code in ordered:
                    places.append(code)
                    room -= 1
                    if room <= 0:
                        room = yield None
        yield made


class Ahead:
    """Sorted texts and words, for looking up by bisection.

    Only positions are stored, and texts are folded again for each comparison: a million folded texts would need more memory
    than the texts themselves.
    """

    __slots__ = ("counted", "fold", "found", "order", "texts", "words")

    def __init__(self, texts: Sequence[str], order: array[int], words: array[int], fold: Fold) -> None:
        self.texts = texts
        self.fold = fold
        self.order = order
        self.words = words
        # The last answers: at a keystroke the list, its view and its keys ask the same.
        self.found: tuple[str, int, tuple[int, ...]] = ("", 0, ())
        self.counted: tuple[str, int] = ("", 0)

    def key(self, at: int) -> str:
        """Return the folded text at a position."""
        return self.fold(self.texts[at])

    def word(self, code: int) -> str:
        """Return the text from a word start on."""
        key = spaced(self.fold(self.texts[code >> SHIFT]))
        return key[len(key) - (code & MASK) :]

    def exact(self, key: str) -> Sequence[int]:
        """Return the positions of texts with this key."""
        low = bisect_left(self.order, key, key=self.key)
        return self.order[low : bisect_right(self.order, key, low, key=self.key)]

    def find(self, text: str, most: int) -> tuple[int, ...]:
        """Return positions for typed text: exact ones, then beginnings in the order of their keys, then words."""
        if self.found[:2] == (text, most):
            return self.found[2]
        key = self.fold(text)
        positions = exact_first(self.texts, text, self._run(key, most))
        low, high = self._words_of(key)
        while len(positions) < most and low < high:
            positions[self.words[low] >> SHIFT] = None
            low += 1
        self.found = text, most, tuple(positions)
        return self.found[2]

    def count(self, text: str) -> int:
        """Return how many items typed text may mean; at most `COUNTED`."""
        if text and self.counted[0] == text:
            return self.counted[1]
        key = self.fold(text)
        low, high = self._words_of(key)
        positions = {code >> SHIFT for code in self.words[low : min(high, low + COUNTED)]}
        positions.update(self._run(key, COUNTED))
        self.counted = text, min(len(positions), COUNTED)
        return self.counted[1]

    def _words_of(self, key: str) -> tuple[int, int]:
        wanted = spaced(key)
        low = bisect_left(self.words, wanted, key=self.word)
        return low, bisect_left(self.words, wanted + HIGHEST, low, key=self.word)

    def _run(self, key: str, most: int) -> list[int]:
        low = bisect_left(self.order, key, key=self.key)
        high = min(low + most, bisect_left(self.order, key + HIGHEST, low, key=self.key))
        return self.order[low:high].tolist()


class Scan:
    """Looks at all texts of a list that has no index yet; finds what its index would find."""

    __slots__ = ("best", "fold", "near", "same", "texts", "typed", "wanted")

    def __init__(self, texts: Sequence[str], fold: Fold) -> None:
        self.texts = texts
        self.fold = fold
        # What was looked for, and what matched: its positions, and the first of them by their keys and words.
        self.wanted: str | None = None
        self.near = array("I")
        self.best: tuple[list[tuple[str, int]], list[tuple[str, int]], int] = ([], [], 0)
        # The positions of the texts that were looked for as a whole.
        self.same: dict[str, list[int]] = {}

    def exact(self, key: str) -> Sequence[int]:
        """Return the positions of texts with this key."""
        positions = self.same.get(key)
        if positions is None:
            fold, texts = self.fold, self.texts
            positions = [at for at in self._among(key) if fold(texts[at]) == key]
            if len(self.same) > FEW_KEYS:
                self.same.clear()
            self.same[key] = positions
        return positions

    def find(self, text: str, most: int) -> tuple[int, ...]:
        """Return positions for typed text, as `Ahead.find` does."""
        self._look(self.fold(text), most)
        starts, words, _ = self.best
        positions = exact_first(self.texts, text, [at for _, at in starts[:most]])
        for _, at in words[: most - len(positions)]:
            positions[at] = None
        return tuple(positions)

    def count(self, text: str) -> int:
        """Return how many items typed text may mean; at most `COUNTED`."""
        self._look(self.fold(text), 1)
        return min(len(self.near), COUNTED)

    def _among(self, key: str) -> Iterable[int]:
        """Return the positions that may match a key: those that matched its beginning, or all."""
        return self.near if self.wanted is not None and key.startswith(self.wanted) else range(len(self.texts))

    def _look(self, key: str, most: int) -> None:
        """Look for a key, unless it was the last that was looked for."""
        if self.wanted == key and self.best[2] >= most:
            return
        texts, fold, word = self.texts, self.fold, " " + spaced(key)
        starts, words = Least(most), Least(most)
        near = array("I")
        for at in self._among(key):
            one = fold(texts[at])
            if one.startswith(key):
                starts.add(one, at)
                near.append(at)
            elif not one.isalnum():
                least = least_word(spaced(one), word)
                if least:
                    words.add(least, at)
                    near.append(at)
        self.wanted, self.near, self.best = key, near, (starts.sorted(), words.sorted(), most)


FEW_KEYS: Final = 8
"""How many texts a scan remembers that were looked for as a whole."""


def least_word(text: str, word: str) -> str:
    """Return a text from where a word begins so (`word`: with a space before it), or ""; of several places the least."""
    least = ""
    place = text.find(word)
    while place >= 0:
        rest = text[place + 1 :]
        if rest and (not least or rest < least):
            least = rest
        place = text.find(word, place + 1)
    return least


class Least:
    """The first of many texts with their positions, in their order."""

    __slots__ = ("kept", "most", "worst")

    def __init__(self, most: int) -> None:
        self.most = most
        self.kept: list[tuple[str, int]] = []
        self.worst = HIGHEST

    def add(self, text: str, at: int) -> None:
        """Add one; positions ascend."""
        if len(self.kept) >= self.most and text >= self.worst:
            return
        self.kept.append((text, at))
        if len(self.kept) >= 8 * self.most:
            self._cut()

    def _cut(self) -> None:
        self.kept.sort()
        del self.kept[self.most :]
        self.worst = self.kept[-1][0]

    def sorted(self) -> list[tuple[str, int]]:
        """Return the first ones."""
        self.kept.sort()
        return self.kept[: self.most]


def exact_first(texts: Sequence[str], text: str, starts: Sequence[int]) -> dict[int, None]:
    """Return positions, with that of the text itself first: several texts may fold to the same key."""
    if len(starts) < 2:
        return dict.fromkeys(starts)
    return dict.fromkeys([*[at for at in starts if texts[at] == text], *starts])
