"""How alike the set-ups of a title look, by the stills that are kept with its passes."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from ..core.errors import InputError
from ..core.facts.knobs import OF_SET_UP
from ..core.facts.setup import Setup
from ..core.facts.title import SetUp, Title
from ..core.message import Message, Value, say
from ..core.read.picture import Array, likeness
from ..core.stats.estimate import Estimate, half_width
from ..store.notebook import Notebook, PassQuery
from ..store.stills import Still, pixels_of, stills

Decode = Callable[[bytes], Array | None]
MOST_PAIRS = 6  # of stills, of a set-up


@dataclass(frozen=True)
class Looks:
    """A set-up against the best one that has stills. like : None where no pair could be compared; why : of the pairs
    that could not; pairs : that were."""

    name: str
    like: Estimate | None
    pairs: int
    why: tuple[str, ...] = ()


def set_up_of(title: Title, setup: Setup) -> SetUp | None:
    """The set-up that a pass was made at, by the options that both name, the fullest first; where its passes name none,
    the one with the preset in use."""
    named = {name: setup[key] for key, name in OF_SET_UP.items() if setup.get(key) is not None}
    named = named or ({"preset": title.preset} if title.preset else {})
    fits = []
    for one in title.set_ups:
        both = [(level, own) for name, level in named.items() if (own := getattr(one, name)) is not None]
        if both and all(level == own for level, own in both):
            fits.append((len(both), one))
    return max(fits, key=lambda pair: pair[0])[1] if fits else None


def compared(
    notebook: Notebook, title: Title, decode: Decode, wanted: Callable[[], bool] = lambda: True
) -> tuple[str, list[Looks]]:
    """(name of the best set-up that has stills, the others in the player's order); ("", []) without any. decode : luma
    (h, w) of a picture file, None where it is damaged."""
    by_place = _by_place(notebook, title)
    order = [one.name for one in title.set_ups if any(name == one.name for name, _ in by_place)]
    if not order:
        return "", []
    best = order[0]
    found: list[Looks] = []
    for name in order[1:]:
        pairs = [pair for (own, scene), mine in by_place.items() if own == name
                 for pair in zip(by_place.get((best, scene), ()), mine)]  # fmt: skip
        likes, why = [], []
        for pair in pairs[:MOST_PAIRS]:
            if not wanted():
                return best, found
            try:
                likes.append(pair_of(*[pixels_of(notebook, still.id) for still in pair], decode=decode))
            except InputError as fault:
                why.append(str(fault))
        found.append(Looks(name, _of_pairs(likes), len(likes), tuple(dict.fromkeys(why))))
    return best, found


def pair_of(better: bytes, other: bytes, *, decode: Decode) -> Estimate:
    """How alike two picture files are. Raises InputError."""
    lumas = [decode(one) for one in (better, other)]
    if lumas[0] is None or lumas[1] is None:
        raise InputError("A still cannot be read: its pixels are damaged. Remove it and add it anew.")
    return likeness(lumas[0], lumas[1])


def percent(like: Estimate) -> Value:
    """A likeness as it is said."""
    return replace(like.through(lambda share: 100.0 * share), unit="%").as_value()


def told(best: str, found: Sequence[Looks]) -> list[Message]:
    """What is said of them, and where they look otherwise than the player's order has them."""
    if not best:
        return [say("picture.none")]
    if not found:
        return [say("picture.one", best=best)]
    said = []
    for one in found:
        if one.like is not None:
            said.append(say("picture.like", name=one.name, best=best, like=percent(one.like), pairs=one.pairs))
        elif one.why:
            said.append(say("picture.refused", name=one.name, why=one.why[0]))
        else:
            said.append(say("picture.elsewhere", name=one.name, best=best))
    known = [(one.name, one.like) for one in found if one.like is not None]
    for (less, before), (more, after) in pairwise(known):
        if (after.low or 0.0) > (before.high or 1.0):
            said.append(say("picture.order", less=less, more=more, best=best))
    return said


def _by_place(notebook: Notebook, title: Title) -> dict[tuple[str, str], list[Still]]:
    """Stills by name of set-up and key of scene, oldest first."""
    found: dict[tuple[str, str], list[Still]] = defaultdict(list)
    kept = stills(notebook)
    if not kept:
        return {}
    passes = {}
    for scene in title.scenes:
        for record in notebook.passes(PassQuery(title=title.key, scene=f"{title.key}/{scene.key}")):
            passes[record.id] = (set_up_of(title, record.asked), scene.key)
    for still in kept:
        made_at, scene_key = passes.get(still.pass_id, (None, ""))
        if made_at is not None:
            found[made_at.name, scene_key].append(still)
    return dict(found)


def _of_pairs(likes: Sequence[Estimate]) -> Estimate | None:
    """Their mean, with an interval over pairs where there are several, else over the parts of the one."""
    if len(likes) < 2:
        return likes[0] if likes else None
    values = np.array([one.value for one in likes])
    half = half_width(values)
    value = float(values.mean())
    return Estimate(value, max(value - half, -1.0), min(value + half, 1.0), n=values.size)
