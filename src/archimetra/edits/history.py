"""Undo and redo: the jobs themselves, which share almost everything."""

from __future__ import annotations

from collections.abc import Callable

from archimetra.edits.edit import Edit, replace
from archimetra.edits.finishing import finish_edit, numbered, raised
from archimetra.job.job import Job

MOST_STEPS = 500


class History:
    """A line of jobs with a place in it. Mutable on purpose: the one place where the document changes."""

    def __init__(self, job: Job) -> None:
        self._jobs = [job if job.numbers else numbered(job)]
        self._labels = [""]
        self._at = 0
        self._merge = ""

    @property
    def job(self) -> Job:
        return self._jobs[self._at]

    @property
    def undo_label(self) -> str | None:
        """What undo would take back; None where there is nothing."""
        return self._labels[self._at] if self._at else None

    @property
    def redo_label(self) -> str | None:
        return self._labels[self._at + 1] if self._at + 1 < len(self._jobs) else None

    def apply(self, edit: Edit) -> bool:
        """Take the edit, with what follows from it, as a step (or into the last one, where both carry the same merge key); False
        if it changes nothing."""
        job = finish_edit(self.job, edit.job)
        if job == self.job:
            return False
        if edit.merge and edit.merge == self._merge and self._at == len(self._jobs) - 1 and self._at > 0:
            self._jobs[self._at] = job
            return True
        del self._jobs[self._at + 1 :], self._labels[self._at + 1 :]
        self._jobs.append(job)
        self._labels.append(edit.label)
        if len(self._jobs) > MOST_STEPS:
            del self._jobs[0], self._labels[0]
        self._at = len(self._jobs) - 1
        self._merge = edit.merge
        return True

    def note(self, noted: Callable[[Job], Job]) -> bool:
        """Put down what happened outside the document, in every version of it: no step, and undo does not take it back. False if it changes nothing."""
        before = self.job
        self._jobs = [noted(job) for job in self._jobs]
        return self.job != before

    def undo(self) -> bool:
        """Back one edit; whether there was one."""
        if self._at == 0:
            return False
        self._go(-1)
        return True

    def redo(self) -> bool:
        """Forward one edit; whether there was one."""
        if self._at + 1 >= len(self._jobs):
            return False
        self._go(+1)
        return True

    def _go(self, step: int) -> None:
        """To another job of the line; the numbers of ids stay what they have come to."""
        numbers = self.job.numbers
        self._at += step
        self._merge = ""
        there = self.job
        numbers = raised(there.numbers, numbers)
        if numbers is not there.numbers:
            self._jobs[self._at] = replace(there, numbers=numbers)
