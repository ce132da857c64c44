"""Edits of kinds of one's own. Each takes a site and returns the changed one."""

from __future__ import annotations

from north_hush.core.detect.settings import ZoneSettings
from north_hush.core.errors import SiteError
from north_hush.core.scene.kind import KIND_WORDS, KINDS, Example, Taught
from north_hush.core.site.edits import in_view
from north_hush.core.site.model import Site, View, replaced
from north_hush.core.words import tr

_TAUGHT_MOST = 99


def teach(site: Site, view_id: str, name: str, example: Example) -> Site:
    """Name a track of a view: one more example of a kind of that name, or the first of a new one.

    Raises
    ------
    SiteError : the name is empty or that of a kind that is known, or there are too many.
    pydantic.ValidationError : the name is too long, or there are too many examples.
    """
    name = name.strip()
    if not name or name.lower() in {*KINDS, *(word.lower() for word in KIND_WORDS.values())}:
        raise SiteError(
            tr("kind '{name}'", name=name),
            tr("has no name.") if not name else tr("is known already."),
            tr("Give it another name, as “the ferry”."),
        )
    taught = site.view(view_id).taught
    known = next((held for held in taught if held.name.casefold() == name.casefold()), None)
    if known is not None:
        more = Taught(id=known.id, name=known.name, examples=(*known.examples, example))
        return _with(site, view_id, tuple(more if held.id == known.id else held for held in taught))
    if len(taught) >= _TAUGHT_MOST:
        raise SiteError(tr("kinds"), tr("are {most} already.", most=_TAUGHT_MOST), tr("Forget one first."))
    taken = {held.id for view in site.views for held in view.taught}  # a question may go to several views
    number = next(number for number in range(1, len(taken) + 2) if f"kind-{number}" not in taken)
    return _with(site, view_id, (*taught, Taught(id=f"kind-{number}", name=name, examples=(example,))))


def kinds_called(site: Site, name: str) -> tuple[str, ...]:
    """The kinds of a name, in whichever views they were taught; one that is known is itself.

    Raises
    ------
    SiteError : there is none.
    """
    taught = [held for view in site.views for held in view.taught]
    if name in KINDS and name != "unclear":
        return (name,)
    found = tuple(held.id for held in taught if held.name.casefold() == name.strip().casefold())
    if not found:
        known = ", ".join(
            [*(kind for kind in KINDS if kind != "unclear"), *dict.fromkeys(held.name for held in taught)]
        )
        raise SiteError(tr("kind '{name}'", name=name), tr("is not known."), tr("The kinds are {known}.", known=known))
    return found


def forget_kind(site: Site, view_id: str, kind_id: str) -> Site:
    """Know a kind no longer: no item, rule or question asks for it any more."""
    site = _with(site, view_id, tuple(held for held in site.view(view_id).taught if held.id != kind_id))
    return in_view(site, view_id, lambda view: _without(view, kind_id))


def _with(site: Site, view_id: str, taught: tuple[Taught, ...]) -> Site:
    return in_view(site, view_id, lambda view: replaced(view, taught=taught))


def _without(view: View, kind_id: str) -> View:
    def left(kinds: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(kind for kind in kinds if kind != kind_id)

    def dials(held: ZoneSettings) -> ZoneSettings:
        return held.turned(kinds=left(held.kinds)) if kind_id in held.kinds else held

    tunings = tuple(
        replaced(tuning, settings={item: dials(held) for item, held in tuning.settings.items()})
        for tuning in view.tunings
    )
    questions = tuple(replaced(held, kinds=left(held.kinds)) for held in view.questions)
    outcome = replaced(
        view.outcome,
        keep=replaced(view.outcome.keep, kinds=left(view.outcome.keep.kinds)),
        item_keep={item: replaced(held, kinds=left(held.kinds)) for item, held in view.outcome.item_keep.items()},
        tell=tuple(replaced(held, kinds=left(held.kinds)) for held in view.outcome.tell),
    )
    return replaced(view, tunings=tunings, questions=questions, outcome=outcome)
