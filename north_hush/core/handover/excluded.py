"""What a device cannot use together: every choice of what to leave out, as cards of what is left."""

from __future__ import annotations

from itertools import product

from north_hush.core.handover.card import Card
from north_hush.core.words import tr

_CHOICES_MOST = 16


def choices(card: Card) -> list[tuple[Card, tuple[str, ...]]]:
    """Cards that need nothing excluded any more, each with what was left out and why, in words; the card itself where it excludes
    nothing. Choices that leave a device without zones and lines are none."""
    found: dict[tuple[str, ...], tuple[Card, tuple[str, ...]]] = {}
    for gone in product(*card.excludes[: _CHOICES_MOST.bit_length() - 1]):
        left_out = tuple(dict.fromkeys(gone))
        kept = [next((name for name in pair if name not in left_out), "") for pair in card.excludes]
        words = tuple(
            tr("{named} cannot be used with {named2}: {named} stay off.", named=_named(out), named2=_named(other))
            for out, other in zip(left_out, kept, strict=False)
        )
        left = without(card, left_out)
        if left is not None:
            found.setdefault(tuple(sorted(left_out)), (left, words))
    return list(found.values()) or [(card, ())]


def without(card: Card, names: tuple[str, ...]) -> Card | None:
    """A card without zones, wires, masks or some of its scales; None where nothing is left that raises alarms."""
    changes: dict[str, object] = {
        "excludes": (),
        "scales": tuple(held for held in card.scales if held.name not in names),
    }
    changes |= {"zones_most": 0} if "zones" in names else {}
    changes |= {"wires_most": 0} if "wires" in names else {}
    changes |= {"masks": "none"} if "masks" in names else {}
    left = card.model_copy(update=changes)
    return left if left.zones_most or left.wires_most else None


def _named(name: str) -> str:
    return {"zones": "zones", "wires": "lines", "masks": "masks"}.get(name, f"'{name}'")
