"""The controller of a job: its own copy, where it keeps one, so that its files come out the same on another machine and whatever is changed on this
one's shelf; else the shelf's."""

from __future__ import annotations

import msgspec

from archimetra.base.errors import OutputError
from archimetra.job.job import Job
from archimetra.output.controllers.profile import Controller, as_toml, parsed
from archimetra.output.controllers.shelf import controller, controllers, own


def controller_of(job: Job) -> Controller:
    """Raises OutputError where there is none, or the job's copy is no controller."""
    copy = copy_in(job)
    return copy if copy is not None else controller(job.controller)


def copy_in(job: Job) -> Controller | None:
    """The copy a job keeps of the controller it is for. Raises OutputError where it is none."""
    if not job.controller_text:
        return None
    copy = parsed(job.controller_text.encode(), f"The job's copy of controller '{job.controller}'")
    return copy if copy.name == job.controller else None


def for_controller(job: Job, name: str) -> Job:
    """The job for a controller of the shelf; of one of a person's own it keeps a copy."""
    mine = own()[0]
    return msgspec.structs.replace(job, controller=name, controller_text=as_toml(mine[name]) if name in mine else "")


def other_on_shelf(job: Job) -> str:
    """In a word how the shelf's controller of that name stands to the job's copy: "changed", "missing" or ''."""
    try:
        copy = copy_in(job)
    except OutputError:
        return ""
    if copy is None:
        return ""
    there = controllers().get(copy.name)
    return "missing" if there is None else "changed" if there != copy else ""
