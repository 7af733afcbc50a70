"""``AtMachine``: the machine as the window knows it: led by hand (``leading``), and the run under way; what a person asks of it.

It computes nothing of its own: what is sent comes from ``archimetra.machine``, and the link is a process that looks after the machine alone.
"""

from __future__ import annotations

import contextlib
from enum import StrEnum
from pathlib import Path as FilePath
from typing import TYPE_CHECKING, NamedTuple

import msgspec
from PySide6.QtCore import QTimer, Signal

from archimetra.app.session.document import Document
from archimetra.app.session.leading import Leading, turned_by
from archimetra.app.session.planning import Planning
from archimetra.app.session.playhead import Playhead
from archimetra.base.errors import ArchimetraError, JobFileError
from archimetra.edits.shop import SHOP, time_router
from archimetra.job.bits import Bit
from archimetra.machine.messages import Answered, Begin, Ended, Gone, Hold, Now, Override, OverrideOf, Resume, Stop
from archimetra.output.gcode_file import GcodeFile

if TYPE_CHECKING:
    from archimetra.machine.course import Part
    from archimetra.machine.progress import LineTimes
    from archimetra.machine.runs import About, Broken

SETTLED_MS = 500
_BELOW_TOP = 0.01  # a place by machine coordinates may be its very top, which a rounded number is above


class Stage(StrEnum):
    NONE = "not connected"
    OPENING = "connecting"
    LOCKED = "locked"
    READY = "ready"
    MOVING = "moving"
    RUNNING = "running"
    HELD = "held"
    CHANGE = "waits for you"  # between two parts of a program


class Running(NamedTuple):
    """A program under way. ``text`` is the whole of it as it is sent, ``parts`` what of it runs without a person, ``part`` the one that runs (or comes
    next); ``about`` that of this part. ``times`` are those of its lines on the plan of ``run_key``, None where nothing is known of them."""

    name: str
    text: str
    parts: tuple[Part, ...]
    part: int
    about: About
    times: LineTimes | None
    run_key: str
    board: str


class AtMachine(Leading):
    ended = Signal(object)  # Ended

    def __init__(self, document: Document, planning: Planning, playhead: Playhead) -> None:
        super().__init__(document, planning)
        self._playhead = playhead
        self.running: Running | None = None
        self.last: tuple[str, Ended] | None = None  # the name of the program that ended last, and how
        self.done_files: set[str] = set()  # digests of programs that ended well since this board was laid
        self.bit_in = ""  # the bit that was in last
        self._under: Running | None = None  # the program that waits while something is done in air
        self._waits_in = ""  # the folder of the run whose next part is to come
        self._folder: FilePath | None = None
        self._is_beginning = False
        self._settled = QTimer(self)
        self._settled.setSingleShot(True)
        self._settled.setInterval(SETTLED_MS)
        self._settled.timeout.connect(self.changed)

    def _let_go(self) -> None:
        super()._let_go()
        self._settled.stop()
        self.running = None
        self._is_beginning = False

    @property
    def stage(self) -> Stage:
        if self._client is None:
            return Stage.NONE
        if self.opened is None or not self.now.doing:
            return Stage.OPENING
        if (
            self._is_beginning or self._is_probing
        ):  # what is told meanwhile is of the program before, or between two touches
            return Stage.MOVING
        run, doing = self.now.run, self.now.doing
        if self.running is not None and run in ("running", "held"):
            is_held = run == "held" or doing in ("Hold", "Door")
            return Stage.HELD if is_held else Stage.RUNNING
        if self.running is not None and self.running.part > 0 and doing == "Idle":
            return Stage.CHANGE
        if doing == "Alarm":
            return Stage.LOCKED
        return Stage.READY if doing in ("Idle", "Check") else Stage.MOVING

    def _zero_found(self, *, is_flat: bool, is_z: bool) -> None:
        if is_flat:  # another board lies there, or the same anew
            self.done_files.clear()
        super()._zero_found(is_flat=is_flat, is_z=is_z)

    def bit_comes_in(self, bit: Bit | None) -> None:
        """A program runs with this bit at its end: what was looked at of others is to be looked at again when they come in again."""
        if self.bit_in != (bit.id if bit is not None else ""):
            self.found.pop(2, None)
        self.bit_in = bit.id if bit is not None else ""
        self.ticked = {
            one for one in self.ticked if not one.startswith(("bit ", "z ", "spindle ")) or self.bit_in in one.split()
        }

    # ---- in air

    def go_to(self, x: float, y: float, *, height: float) -> None:
        """Over a place, mm from zero as files count: up to ``height`` above zero first."""
        from archimetra.machine.course import to_place

        self._run_air(to_place(x, y, height=height), "way to a place", "That place")

    def go_to_board(self, x: float, y: float, *, height: float) -> None:
        """Over a place of the shown board."""
        self.go_to(*turned_by(*self.setup.in_file(x, y), self.turn), height=height)

    def trace(self, file: GcodeFile, *, height: float, feed: float) -> None:
        """Once around what a file cuts, at a height above zero."""
        from archimetra.machine.course import around, course_of, from_zero

        try:
            course = course_of(from_zero(self.turned(file.text), self.now.zero))
        except ArchimetraError as error:
            self.said.emit("stop", str(error))
            return
        if not all(v == v for v in (*course.cut_low, *course.cut_high)):
            self.said.emit("note", "This file cuts nothing.")
            return
        self._run_air(
            around(course.cut_low, course.cut_high, height=height, feed=feed), "bounds in air", "What it cuts"
        )

    def _run_air(self, text: str, name: str, what: str) -> None:
        from archimetra.machine import runs
        from archimetra.machine.course import beyond, course_of

        at, zero = self.at, self.now.zero
        if at is None or zero is None:
            self.said.emit("caution", "The machine has not said where it is yet.")
            return
        course = course_of(text, at)
        if self.is_homed:
            low, high = self.reach
            told = beyond(course, zero, low, high)
            if told:
                self.said.emit("stop", told.replace("It leads", f"{what} lies", 1))
                return
        about = runs.About(
            job=self._document.job.name, board=self._document.board.name, board_id=self._document.board_id, file=name, machine=self._document.job.machine.name,
            digest="", began=runs.now_words(), expected_s=0.0, lines=text.count("\n"), zero=zero, is_air=True,
        )  # fmt: skip
        self._begin(text, course, about, Running(name, text, (), 0, about, None, "", ""))

    # ---- a program

    def turned(self, text: str) -> str:
        """A program as the board lies. Raises ArchimetraError where it cannot be turned."""
        from archimetra.machine.askew import turned

        return turned(text, self.turn) if self.turn else text

    def run_file(self, file: GcodeFile) -> None:
        """Run one of the files of the shown plan, from its beginning."""
        from archimetra.machine.course import parts_of

        try:
            text = self.turned(file.text)
        except ArchimetraError as error:
            self.said.emit("stop", str(error))
            return
        plan = self._planning.plan
        parts = parts_of(text)
        if plan is None or not parts:
            return
        times = self._times_of(file)
        about = self._about(file.name, file.digest, text, times)
        running = Running(file.name, text, parts, 0, about, times, plan.run_key, self._document.board_id)
        self._run_part(running, 0)

    def _times_of(self, file: GcodeFile) -> LineTimes | None:
        from archimetra.machine.progress import LineTimes

        plan = self._planning.plan
        if plan is None or not file.blocks:
            return None
        return LineTimes.of_rows(file.rows, plan.times.ends, file.blocks[-1].last)

    def _about(self, name: str, digest: str, text: str, times: LineTimes | None) -> About:
        from archimetra.machine import runs

        document = self._document
        return runs.About(
            job=document.job.name, board=document.board.name, board_id=document.board_id, file=name, machine=document.job.machine.name, digest=digest,
            began=runs.now_words(), expected_s=times.end - times.begin if times is not None else 0.0, lines=text.count("\n"),
            zero=self.now.zero or (0.0, 0.0, 0.0), turn=self.turn, top=document.board.zero.z_shift(document.board.sheet),
            park=self.park, log=str(runs.log_path(str(document.path or ""))),
        )  # fmt: skip

    def _run_part(self, running: Running, number: int, start: object | None = None, *, replaces: str = "") -> None:
        """Run a part of a program: from its beginning, or from a place to begin again. ``replaces`` is the folder of a run that is not needed any more
        once this one is under way."""
        from archimetra.machine.course import beyond, course_of, from_zero, not_taken, place_before
        from archimetra.machine.going_on import Start, remainder

        part = running.parts[number]
        lines = part.lines_of(running.text)
        sent, offset = "\n".join(lines) + "\n", 0
        at, zero = self.at, self.now.zero
        if at is None or zero is None:
            self.said.emit("caution", "The machine has not said where it is yet.")
            return
        if number > 0 and start is None:
            place = place_before(from_zero(sent, zero), part.first)
            start = Start(part.first, place, "") if place is not None else None
        if isinstance(start, Start):
            x, y, z = start.at
            start = start._replace(at=(x, y, min(z, self.reach[1][2] - zero[2] - _BELOW_TOP)))
            kept = len(lines) - start.line
            sent = remainder(sent, start, park=running.about.park)
            offset = start.line - (sent.count("\n") - kept)
        about = msgspec.structs.replace(
            running.about,
            offset=offset,
            lines=sent.count("\n"),
            first_line=part.first,
            next_line=running.parts[number + 1].first if number + 1 < len(running.parts) else -1,
            zero=zero,
            expected_s=self._expected(running, offset, sent.count("\n")),
        )
        if told := not_taken(sent):
            self.said.emit("stop", told)
            return
        course = course_of(from_zero(sent, zero), at)
        if self.is_homed:
            low, high = self.reach
            if told := beyond(course, zero, low, high):
                self.said.emit("stop", told)
                return
        self._begin(sent, course, about, running._replace(part=number, about=about), replaces=replaces)

    def _expected(self, running: Running, offset: int, count: int) -> float:
        if running.times is None:
            return 0.0
        first, last = max(offset, 0), offset + count
        return running.times.at(last - 1, 1.0) - (
            running.times.at(first - 1, 1.0) if first > 0 else running.times.begin
        )

    @property
    def park(self) -> float:
        """The height above zero the bit waits at, mm."""
        board = self._document.board
        return board.travel_heights.park + board.zero.z_shift(board.sheet)

    def _begin(self, text: str, course: object, about: About, running: Running, *, replaces: str = "") -> None:
        from archimetra.machine import runs
        from archimetra.machine.course import Course

        assert isinstance(course, Course)
        if self.stage not in (Stage.READY, Stage.CHANGE):
            self.said.emit("caution", f"The machine is {self.stage.value}: nothing was begun.")
            return
        try:
            folder = runs.put_down(text, course, about)
        except OSError as error:
            self.said.emit(
                "stop", f"The program could not be put down for the link: {error.strerror or error}. Nothing was begun."
            )
            return
        before, self.running = self.running, running
        self._is_beginning = True
        if about.is_air:
            self._under = before  # a program that waits for its next part goes on waiting

        def begun(answer: Answered) -> None:
            self._is_beginning = False
            if not answer.is_done:
                self._say_refusal(answer)
                runs.drop(folder)
                self.running = before
            elif replaces:  # from here on this run tells where to go on
                runs.drop(replaces)
            self.changed.emit()

        self._folder = folder
        zero = self.now.zero or (0.0, 0.0, 0.0)
        self._ask(lambda n: Begin(n, str(folder), zero), begun)
        self.changed.emit()

    def go_on_with_next(self) -> None:
        """The person has done what the program waited for."""
        if self.running is not None and self.running.part > 0 and self.stage is Stage.CHANGE:
            self._run_part(self.running, self.running.part, replaces=self._waits_in)

    def hold(self) -> None:
        self._send(Hold())

    def resume(self) -> None:
        self._send(Resume())

    def stop(self) -> None:
        """At once, whatever it does: the first thing that goes out."""
        self._send(Stop())
        self._let_go_of_jog()
        if self.stage is Stage.CHANGE:
            self.running = None
        self.changed.emit()

    def override(self, of: OverrideOf, percent: int) -> None:
        self._send(Override(of, percent))

    # ---- after a mishap

    def broken(self) -> list[Broken]:
        """Runs that did not come to their end, of any job, the latest first."""
        from archimetra.machine.runs import broken_runs

        return broken_runs() if self.running is None else []

    def leave_broken(self, broken: Broken) -> None:
        from archimetra.machine.runs import drop

        drop(broken.folder)
        self.changed.emit()

    def go_on(self, broken: Broken, start: object) -> None:
        """Go on with a run that was broken off, from one of its places: of ``broken.text``."""
        from archimetra.machine.course import Part
        from archimetra.machine.going_on import Start

        assert isinstance(start, Start)
        about = broken.about
        file, text = self.program_of(broken)
        lines = text.count("\n")
        times = self._times_of(file) if file is not None else None
        plan = self._planning.plan
        if file is not None:
            from archimetra.machine.course import parts_of

            parts = parts_of(text)
            line = start.line  # the next that is sent, from 0; the line it stands at, from 1
            number = next(
                (k for k, part in enumerate(parts) if part.first < line <= part.last or part.first == line), 0
            )
        else:
            parts, number = (Part(0, lines, "", 0),), 0
        if file is not None:
            self.turn = about.turn  # the files after it are for the same board as it lies
        key = plan.run_key if plan is not None and file is not None else ""
        running = Running(
            about.file, text, parts, number, about, times, key, self._document.board_id if file is not None else ""
        )
        self._run_part(running, number, start, replaces=broken.folder)

    def file_of(self, broken: Broken) -> tuple[GcodeFile | None, str, int]:
        """The file of the shown plan a broken run was of, and the program to go on with; None and '' where it is another by now, and the program is
        the one that was sent; how many lines it has."""
        file = next((one for one in self._planning.files if one.digest == broken.about.digest), None)
        if file is None or broken.about.board_id != self._document.board_id:
            return None, "", broken.about.lines
        from archimetra.machine.askew import turned

        text = turned(file.text, broken.about.turn) if broken.about.turn else file.text
        return file, text, text.count("\n")

    def program_of(self, broken: Broken) -> tuple[GcodeFile | None, str]:
        """The file of the shown plan a broken run was of, if it still is, and the program to go on with."""
        file, text, _ = self.file_of(broken)
        return file, text if file is not None else broken.text

    def starts_for(self, broken: Broken) -> tuple[object, ...]:
        """Where it can be begun again, the latest first, in lines of the program ``file_of`` gives."""
        from archimetra.machine.course import from_zero
        from archimetra.machine.going_on import starts_in_parts, starts_of

        about, last = broken.about, broken.last
        file, text = self.program_of(broken)
        if file is None:
            known = from_zero(text, about.zero)
            return starts_of(known, top=about.top, done=last.done) if last.state != "done" else ()
        next_line = about.next_line if last.state == "done" else -1
        return starts_in_parts(
            from_zero(text, about.zero),
            top=about.top,
            done=last.done + about.offset,
            first=about.first_line,
            next_line=next_line,
        )

    # ---- what the link tells

    def _take_now(self, now: Now) -> None:
        before = self.stage, self.now.overrides
        super()._take_now(now)
        if (self.stage, now.overrides) != before:
            self.changed.emit()
        self._follow()
        self.moved.emit()

    @property
    def moment(self) -> float | None:
        """The moment of the plan the run is at, s; None where it is not of the plan that is shown."""
        running, plan = self.running, self._planning.plan
        if (
            running is None
            or running.times is None
            or plan is None
            or plan.run_key != running.run_key
            or self._is_beginning
        ):
            return None
        if running.board != self._document.board_id:
            return None
        return running.times.at(self.now.line + running.about.offset, self.now.share)

    def _follow(self) -> None:
        moment = self.moment
        if moment is not None and self.now.run in ("running", "held") and abs(moment - self._playhead.seconds) > 1e-3:
            self._playhead.go_to(moment)

    def share(self) -> tuple[float, float, float]:
        """Of the run: done by time (0 to 1), by lines (0 to 1), and seconds left."""
        from archimetra.machine.progress import time_left

        running, now = self.running, self.now
        if running is None or self._is_beginning:
            return 0.0, 0.0, 0.0
        lines = max(running.about.lines, 1)
        by_lines = min(max(now.line, 0) / lines, 1.0)
        if running.times is None or running.about.expected_s <= 0:
            return by_lines, by_lines, 0.0
        end = running.times.at(running.about.offset + lines - 1, 1.0)
        begin = end - running.about.expected_s
        moment = running.times.at(now.line + running.about.offset, now.share)
        done = min(max(moment - begin, 0.0), running.about.expected_s)
        left = time_left(running.about.expected_s - done, done, now.run_s, self.router.timed)
        return done / running.about.expected_s, by_lines, left

    def _take_end(self, end: Ended) -> None:
        from archimetra.machine import runs

        running = self.running
        if running is None:
            return
        self.last = running.name, end
        is_done = end.state == "done"
        about = running.about
        is_waiting = is_done and not about.is_air and running.part + 1 < len(running.parts)
        if is_waiting:  # kept until its next part has begun
            self._waits_in = str(self._folder)
        elif (is_done or about.is_air) and self._folder is not None:
            runs.drop(self._folder)
        if end.state in ("alarm", "position not trusted"):
            self.is_homed = False
        if about.is_air:
            self.running, self._under = self._under, None
        elif is_waiting:
            self.running = running._replace(part=running.part + 1)
            part = running.parts[running.part + 1]
            self._bit_changes(part.bit)
            self.said.emit("note", part.words)
        else:
            self.running = None
            if is_done:
                self.done_files.add(about.digest)
        if (
            not about.is_air
            and runs.counts(end.state, about.expected_s, was_slowed=end.was_slowed)
            and about.offset == 0
        ):
            self._keep_time(about.machine, about.expected_s, end.seconds)
        if not is_done:
            kind = "note" if end.state == "stopped" else "stop"
            self.said.emit(kind, end.words)
        self.ended.emit(end)
        self.changed.emit()
        self._settled.start()  # by then the link has put down how it ended

    def _bit_changes(self, number: int) -> None:
        """Another bit comes in: Z zero and the bit are to be looked at again."""
        bit = next((one for one in self._document.job.bits if one.number == number), None)
        self.ticked = {one for one in self.ticked if not one.startswith(("z ", "bit ", "spindle "))}
        self.bit_in = bit.id if bit is not None else self.bit_in
        self.found.pop(2, None)

    def bit_of(self, running: Running) -> Bit | None:
        number = running.parts[running.part].bit if running.parts else 0
        return next((one for one in self._document.job.bits if one.number == number and number), None)

    def _keep_time(self, machine: str, foretold: float, taken: float) -> None:
        with contextlib.suppress(JobFileError, ValueError):
            SHOP.save(time_router(SHOP.load(), machine, foretold, taken))

    def _take_gone(self, gone: Gone) -> None:
        had_run = self.running is not None
        self.disconnect_from()
        self.problem = gone.words
        if not had_run:
            self.said.emit("stop", gone.words)
        self.changed.emit()
        self._settled.start()
