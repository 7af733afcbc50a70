"""Two at work on one file, and what a crash left: nothing goes without a question that stays until it is answered."""

from __future__ import annotations

import subprocess
import sys
import time

import pytest

from archimetra.edits import basic as edits
from archimetra.edits.comparing import differences
from archimetra.engine.autosave import Recovered
from archimetra.job.file import JobFile, JobFileChanged, load_job, open_job, save_job
from archimetra.job.job import new_job
from plain_clock import plain_clock


def renamed(job, name: str):
    return edits.change_board(job, job.boards[0].id, "Rename board", name=name).job


@pytest.fixture
def on_file(open_window, tmp_path):
    """A window on a saved job, and its file."""
    window = open_window()
    path = tmp_path / "clock.archimetra"
    assert window.documents.save_file(path)
    return window, path


def theirs(path, name="Theirs") -> None:
    """Another process saves the job with another name of its first board, as a second window does."""
    words = (
        "import sys; from pathlib import Path as P; from archimetra.edits import basic as edits\n"
        "from archimetra.job.file import JobFile, load_job, save_job\n"
        "p = P(sys.argv[1]); f = load_job(p)\n"
        "j = edits.change_board(f.job, f.job.boards[0].id, 'x', name=sys.argv[2]).job\n"
        "save_job(p, JobFile(j, f.sources, f.preview_png))\n"
    )
    subprocess.run([sys.executable, "-c", words, str(path), name], check=True, timeout=60)


class TestTwoWindows:
    def test_the_last_save_does_not_win_without_a_word(self, on_file):
        window, path = on_file
        session = window.session
        session.apply(edits.change_job(session.job, "Controller", controller="streaming"))
        theirs(path)
        assert not window.documents.save()
        assert load_job(path).job.boards[0].name == "Theirs"
        assert not session.is_saved
        assert "changed on disk" in window.notices.text
        assert "named Theirs" in window.notices.text
        assert "another controller" in window.notices.text
        assert "not saved yet" in window.notices.text
        window.notices.press("Overwrite theirs")
        assert session.is_saved
        assert load_job(path).job.controller == "streaming"
        assert load_job(path.with_name(path.name + ".before")).job.boards[0].name == "Theirs"
        assert window.documents.save()  # and from here on it is ours again

    def test_theirs_can_be_taken_and_taken_back(self, on_file):
        window, path = on_file
        mine = renamed(window.session.job, "Mine")
        window.session.apply(edits.change_board(window.session.job, mine.boards[0].id, "Rename board", name="Mine"))
        theirs(path)
        window.documents.save()
        window.notices.press("Take theirs")
        assert (window.session.board.name, window.session.is_saved) == ("Theirs", True)
        window.session.undo()
        assert (window.session.board.name, window.session.is_saved) == ("Mine", False)
        assert window.documents.save()
        assert load_job(path).job.boards[0].name == "Mine"

    def test_mine_can_be_kept_beside_theirs(self, on_file, monkeypatch):
        window, path = on_file
        other = path.with_name("mine.archimetra")
        monkeypatch.setattr("PySide6.QtWidgets.QFileDialog.getSaveFileName", lambda *_a, **_k: (str(other), ""))
        window.session.apply(edits.change_job(window.session.job, "Controller", controller="streaming"))
        theirs(path)
        window.documents.save()
        window.notices.press("Keep mine under another name …")
        assert load_job(path).job.boards[0].name == "Theirs"
        assert load_job(other).job.controller == "streaming"
        assert window.session.path == other

    def test_it_is_told_when_it_happens_once_and_waits_for_an_answer(self, on_file, qtbot):
        window, path = on_file
        theirs(path)
        qtbot.waitUntil(lambda: "changed on disk" in window.notices.text, timeout=10_000)
        for _ in range(3):
            window.documents.look_at_disk()
            window.say("note", "Something else.")
        assert window.notices.text.count("changed on disk") == 1
        assert window.notices.is_asking
        window.notices.press("Decide later")
        window.documents.look_at_disk()
        assert not window.notices.is_asking
        theirs(path, "Again")
        qtbot.waitUntil(lambda: window.notices.is_asking, timeout=10_000)
        assert "named Again" in window.notices.text

    @pytest.mark.parametrize("how", ["open", "new", "save as"])
    def test_a_question_about_a_job_left_goes_with_it(self, on_file, how):
        """Answered later it would write the job shown then over the file asked about."""
        window, path = on_file
        theirs(path)
        window.documents.look_at_disk()
        assert window.notices.is_asking
        other = path.with_name("other.archimetra")
        if how == "open":
            save_job(other, JobFile(new_job()))
            window.documents.open_file(other)
        elif how == "new":
            window.documents.new_job()
        else:
            window.documents.save_file(other)
        assert not window.notices.is_asking
        assert load_job(path).job.boards[0].name == "Theirs"

    @pytest.mark.parametrize("how", ["touched", "gone", "same", "damaged", "folder gone"])
    def test_what_is_no_change_asks_nothing(self, on_file, how):
        window, path = on_file
        data = path.read_bytes()
        if how == "touched":
            path.touch()
        elif how == "gone":
            path.unlink()
        elif how == "same":
            path.unlink()
            path.write_bytes(data)
        elif how == "folder gone":
            for file in path.parent.iterdir():
                file.unlink()
            path.parent.rmdir()
        else:
            path.write_bytes(data[:100])
        window.session.apply(edits.change_job(window.session.job, "Controller", controller="streaming"))
        done = window.documents.save()
        if how == "damaged":
            assert not done
            assert "cannot be opened" in window.notices.text
            with pytest.raises(KeyError):
                window.notices.press("Take theirs")
            window.notices.press("Overwrite theirs")
        elif how == "folder gone":
            assert not done
            assert "Choose another place" in window.notices.text
            return
        assert load_job(path).job.controller == "streaming"

    def test_of_two_that_save_at_once_one_is_told(self, tmp_path):
        """Both opened the same version; whoever comes second is refused, whichever that is."""
        path = tmp_path / "a.archimetra"
        save_job(path, JobFile(new_job()))
        _, seen = open_job(path)
        save_job(path, JobFile(renamed(new_job(), "One")), over=seen)
        with pytest.raises(JobFileChanged):
            save_job(path, JobFile(renamed(new_job(), "Two")), over=seen)
        assert load_job(path).job.boards[0].name == "One"


class TestDifferences:
    def test_each_kind_of_difference_has_its_words(self):
        job = plain_clock().job
        board = job.boards[0]
        assert differences(job, job) == []
        assert differences(job, renamed(job, "Lid")) == [f"{board.name}: named Lid"]
        fewer = edits.change_board(job, board.id, "x", shapes=board.shapes[1:], cuts=board.cuts[::-1]).job
        assert differences(job, fewer) == [f"{board.name}: 1 shape fewer"]
        assert differences(fewer, job) == [f"{board.name}: 1 shape more"]
        turned = edits.change_board(job, board.id, "x", cuts=board.cuts[::-1]).job
        assert differences(job, turned) == [f"{board.name}: another order of cuts"]
        more = edits.add_board(job)[0].job
        assert differences(job, more) == [f"a board {more.boards[-1].name} more"]
        assert differences(more, job) == [f"no board {more.boards[-1].name}"]


class TestAfterACrash:
    def left(self, tmp_path, saved_as="", name="Crashed"):
        file = tmp_path / f"{name}.recovery"
        file.write_bytes(b"x")
        return Recovered(JobFile(renamed(plain_clock().job, name)), saved_as, file, time.time())

    def test_a_job_opened_by_its_path_offers_what_is_newer(self, open_window, tmp_path):
        path = tmp_path / "clock.archimetra"
        save_job(path, plain_clock())
        left = self.left(tmp_path, str(path))
        window = open_window(JobFile(new_job()))
        window.documents.begin([left], path, with_demo=False)
        assert window.session.board.name == plain_clock().job.boards[0].name
        assert "named Crashed" in window.notices.text
        for _ in range(5):
            window.say("note", "Something else.")
        assert window.notices.is_asking
        assert left.found_in.exists()
        window.notices.press("Take it up")
        assert (window.session.board.name, window.session.is_saved) == ("Crashed", False)
        assert window.session.path == path
        assert not left.found_in.exists()
        window.notices.press("Save it")
        assert load_job(path).job.boards[0].name == "Crashed"

    def test_the_demo_asked_for_comes_and_the_work_is_offered_beside_it(self, open_window, tmp_path):
        window = open_window(JobFile(new_job()))
        one, two = self.left(tmp_path), self.left(tmp_path, name="Other")
        window.documents.begin([one, two], None, with_demo=True)
        assert window.session.job.name == plain_clock().job.name
        assert window.session.is_saved
        assert window.notices.text.count("ended unexpectedly") == 2
        window.notices.press("Give it up")
        assert not one.found_in.exists()
        window.notices.press("Ask again at the next start")
        assert two.found_in.exists()
        assert not window.notices.is_asking

    def test_without_anything_asked_for_the_newest_is_shown_and_the_rest_offered(self, open_window, tmp_path):
        window = open_window(JobFile(new_job()))
        window.documents.begin([self.left(tmp_path), self.left(tmp_path, name="Other")], None, with_demo=False)
        assert window.session.board.name == "Crashed"
        assert window.notices.text.count("ended unexpectedly") == 2
