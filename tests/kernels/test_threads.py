"""Work that is shared among threads."""

import threading

import pytest

from pirouette.kernels.threads import begun, in_slices, take_turns, thread_count, use_threads


@pytest.mark.parametrize("threads", [1, 2, 5])
@pytest.mark.parametrize("count", [0, 1, 2, 100])
def test_every_item_is_taken_once(threads, count):
    taken, lock = [], threading.Lock()

    def work(item):
        with lock:
            taken.append(item)

    with use_threads(threads):
        take_turns(work, count)
    assert sorted(taken) == list(range(count))


def test_slices_do_not_depend_on_the_number_of_threads():
    def slices(threads):
        found, lock = [], threading.Lock()

        def work(start, stop):
            with lock:
                found.append((start, stop))

        with use_threads(threads):
            in_slices(work, 1000, 64)
        return sorted(found)

    assert slices(1) == slices(4)
    sizes = [stop - start for start, stop in slices(1)]
    assert sum(sizes) == 1000
    assert max(sizes) <= 64
    assert max(sizes) - min(sizes) <= 1


def test_an_error_in_a_helper_reaches_the_caller():
    def work(item):
        if item == 7:
            raise ArithmeticError("seven")

    with use_threads(3), pytest.raises(ArithmeticError):
        take_turns(work, 20)


def test_shared_work_within_shared_work_does_not_wait_for_itself():
    def outer(item):
        take_turns(lambda inner: None, 50)

    with use_threads(4):
        take_turns(outer, 50)


def test_the_limit_is_put_back():
    before = thread_count()
    with use_threads(7):
        assert thread_count() == 7
    assert thread_count() == before
    with pytest.raises(ValueError, match="allowed 1 and more"), use_threads(0):
        pass


@pytest.mark.parametrize("threads", [1, 2])
def test_what_is_begun_is_done_once_and_gives_what_it_returns(threads):
    done = []

    def work():
        done.append(threading.current_thread())
        return "made"

    with use_threads(threads):
        wait = begun(work)
        assert wait() == "made"
    assert len(done) == 1
    if threads == 1:
        assert done == [threading.current_thread()]


def test_what_is_begun_is_done_beside_this_thread():
    done = threading.Event()
    with use_threads(2):
        wait = begun(done.set)
        assert done.wait(20)
        wait()


def test_errors_of_what_is_begun_come_where_it_is_waited_for():
    def work():
        raise ValueError("no")

    with use_threads(2):
        wait = begun(work)
        with pytest.raises(ValueError, match="no"):
            wait()
