"""Edits of questions that are kept. Each takes a site and returns the changed one."""

from __future__ import annotations

from north_hush.core.site.edits import in_view
from north_hush.core.site.model import Site, replaced
from north_hush.core.site.questions import KeptQuestion


def keep_question(site: Site, view_id: str, question: KeptQuestion) -> Site:
    """Keep a question with a view; where one is called so already it gets a number.

    Raises
    ------
    pydantic.ValidationError : there are too many.
    """
    taken = {held.name for held in site.view(view_id).questions}
    number, name = 1, question.name
    while name in taken:
        number += 1
        name = f"{question.name} {number}"
    named = replaced(question, name=name)
    return in_view(site, view_id, lambda view: replaced(view, questions=(*view.questions, named)))


def forget_question(site: Site, view_id: str, name: str) -> Site:
    """Keep a question no longer."""
    return in_view(
        site,
        view_id,
        lambda view: replaced(view, questions=tuple(held for held in view.questions if held.name != name)),
    )
