"""Tasks in processes of their own: the same answers, and nothing that one of them does harms another."""

import os
import signal
import threading
import time

import pytest

from pirouette.data import Cancelled, ProblemError, TooMuch
from pirouette.data.question import Progress, never, to_nobody
from studio.computing import processes as those
from studio.computing import tasks
from studio.computing.office import AtOnce, progress, run
from studio.computing.processes import Processes
from studio.computing.tasks import Subject
from tests.scenes import document, figure, step

SCENE = Subject(("scene", 1), document(figure(step("sphere", rings=4, segments=6), step("grid"))), {})
HUGE = Subject(("huge", 1), document(figure(step("sphere", rings=1980, segments=3950))), {})


@pytest.fixture(scope="module")
def office():
    before = os.environ.get("PIROUETTE_MEMORY_GB")
    os.environ["PIROUETTE_MEMORY_GB"] = "1"
    found = Processes(1)
    yield found
    found.close()
    if before is None:
        del os.environ["PIROUETTE_MEMORY_GB"]


def pid_of(question):
    return os.getpid()


def ends_its_process(question):
    os._exit(1)


def ends_the_first_process(path, question):
    """Done by the second process alone."""
    if not path.exists():
        path.touch()
        os._exit(1)
    return os.getpid()


def waits(path, question):
    """Goes on until it is not wanted any more, and says so."""
    path.with_suffix(".begun").touch()
    while not question():
        time.sleep(0.01)
    path.touch()
    raise Cancelled


def tells(question):
    for done in range(3):
        question.tell(Progress("Ring", "strands", done, 3, True))
    return "done"


def hangs(question):
    time.sleep(300)


def goes_wrong(question):
    return 1 / 0


def do(office, task, *arguments, seconds=60, is_cancelled=never, tell=to_nobody):
    return office.do(task, arguments, 0, seconds, is_cancelled, tell)


def until(condition):
    deadline = time.monotonic() + 60
    while not condition():
        assert time.monotonic() < deadline
        time.sleep(0.02)


def test_they_answer_as_is_answered_here(office):
    asked = SCENE, 3, None, ()
    there, here = do(office, tasks.see, *asked), do(AtOnce(), tasks.see, *asked)
    assert there.packet == here.packet
    assert (there.title, there.sent) == ("Test", here.sent)
    assert do(office, tasks.proof, SCENE, 0, 64, 1, None) == do(AtOnce(), tasks.proof, SCENE, 0, 64, 1, None)
    assert do(office, pid_of) not in (os.getpid(), None)


def test_problems_arrive_whole(office):
    wrong = Subject(("wrong", 1), document(figure(step("box", width="wide"))), {})
    with pytest.raises(ProblemError) as caught:
        do(office, tasks.see, wrong, 0, None, ())
    (problem,) = caught.value.problems
    assert (problem.path, problem.code) == ("figures/Thing/routine/0 (box)/width", "value.number")
    with pytest.raises(RuntimeError, match="goes_wrong: ZeroDivisionError"):
        do(office, goes_wrong)


def test_how_far_a_task_has_come_is_told_while_it_goes_on(office):
    told = []
    assert do(office, tells, tell=told.append) == "done"
    assert told == [Progress("Ring", "strands", done, 3, True) for done in range(3)]


def test_who_asks_hears_how_far_the_work_on_a_scene_has_come(office, monkeypatch):
    monkeypatch.setattr("studio.computing.office._office", office)
    heard, tell = [], office.do

    def listening(*arguments):
        *others, told = arguments
        return tell(*others, lambda one: (told(one), heard.append(progress("scene"))))

    monkeypatch.setattr(office, "do", listening)
    assert progress("scene") is None
    assert run(tells, name="scene", seconds=60) == "done"
    assert [one.done for one in heard] == [0, 1, 2]
    assert progress("scene") is None


def test_what_is_not_wanted_any_more_ends_there_too(office, tmp_path):
    path = tmp_path / "ended"
    with pytest.raises(Cancelled):
        do(office, waits, path, is_cancelled=path.with_suffix(".begun").exists)
    until(path.exists)
    assert do(office, pid_of)


def test_time_is_up_there_too(office, tmp_path):
    with pytest.raises(TooMuch, match="stopped after 2 seconds"):
        do(office, waits, tmp_path / "ended", seconds=0.2)


def test_a_process_that_ends_is_replaced_and_its_task_done_by_another(office, tmp_path):
    before = do(office, pid_of)
    assert do(office, ends_the_first_process, tmp_path / "tried") != before
    with pytest.raises(TooMuch, match="ended over it, twice"):
        do(office, ends_its_process)
    assert do(office, pid_of)


def test_a_process_that_is_killed_loses_no_answer(office, tmp_path):
    before, came = do(office, pid_of), []
    path = tmp_path / "ended"
    thread = threading.Thread(target=lambda: came.append(do(office, pid_of)) if wait_and_kill(before, path) else None)
    with pytest.raises(Cancelled):
        thread.start()
        do(office, waits, path, is_cancelled=lambda: not thread.is_alive())
    thread.join()
    assert came
    assert came[0] != before


def wait_and_kill(pid, path):
    until(path.with_suffix(".begun").exists)
    os.kill(pid, signal.SIGKILL)
    path.with_suffix(".begun").unlink()
    # It is begun again by another.
    until(path.with_suffix(".begun").exists)
    return True


def test_one_step_that_does_not_end_is_ended_with_its_process(office, monkeypatch):
    monkeypatch.setattr(those, "GRACE_SECONDS", 0.3)
    before = do(office, pid_of)
    with pytest.raises(TooMuch, match="in one step"):
        do(office, hangs, seconds=0.1)
    assert do(office, pid_of) != before


def test_a_process_that_runs_out_of_memory_says_so_and_is_replaced(office):
    before = do(office, pid_of)
    seen = do(office, tasks.see, HUGE, 0, None, ())
    assert seen.problem.is_memory
    assert "needs more memory than there is" in str(seen.problem)
    assert do(office, tasks.see, SCENE, 0, None, ()).packet
    until(lambda: do(office, pid_of) != before)


def test_a_frame_that_is_too_large_for_the_view_is_told_of(monkeypatch):
    monkeypatch.setattr(tasks, "MAX_PACKET", 0)
    seen = do(AtOnce(), tasks.see, SCENE, 0, None, ())
    assert seen.packet is None
    assert seen.problem.problems[0].code == "view.size"
