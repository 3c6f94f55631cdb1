"""Worker processes: one bad piece of work takes no other down."""

import os
import time
from pathlib import Path

from zero_easel.core.photos import vips
from zero_easel.engines.processes import alone, reason_of
from zero_easel.engines.workers import map_processes
from zero_easel.pipeline import PictureError


def double(number: int) -> int:
    return 2 * number


def fail_on_three(number: int) -> int:
    if number == 3:
        raise PictureError("three.jpg shows no item.")
    return number


def die_on_three(number: int) -> int:
    time.sleep(0.05)
    if number == 3:
        os._exit(9)
    return number


def threads_of_what_forked_this() -> int:
    return len(list(Path(f"/proc/{os.getppid()}/task").iterdir()))


def test_all_results_come_back_under_their_number() -> None:
    results = dict(map_processes(double, ((i, (i,)) for i in range(9)), 2))
    assert results == {i: 2 * i for i in range(9)}


def test_no_work_starts_no_trouble() -> None:
    assert list(map_processes(double, [], 2)) == []


def test_an_error_is_the_result_of_its_own_piece() -> None:
    results = dict(map_processes(fail_on_three, ((i, (i,)) for i in range(6)), 2))
    assert isinstance(results[3], PictureError)
    assert reason_of(results[3], "three.jpg") == "three.jpg shows no item."
    assert [results[i] for i in (0, 1, 2, 4, 5)] == [0, 1, 2, 4, 5]


def test_a_worker_that_dies_fails_its_own_piece_alone() -> None:
    results = dict(map_processes(die_on_three, ((i, (i,)) for i in range(8)), 2))
    assert set(results) == set(range(8))
    assert isinstance(results[3], Exception)
    assert "memory" in reason_of(results[3], "three.jpg")
    assert [i for i, r in results.items() if isinstance(r, Exception)] == [3]


def test_reasons_are_sentences_that_name_the_photo() -> None:
    full = OSError(28, "No space left on device")
    for error in (MemoryError(), full, ValueError("odd")):
        said = reason_of(error, "a.jpg")
        assert said.startswith("a.jpg") and said.endswith(".")
    assert "No space left" in reason_of(full, "a.jpg")


def test_the_photos_are_the_parallel_part_so_a_worker_has_one_thread_for_libvips() -> None:
    assert alone(vips.threads, ()) == 1


def test_workers_are_forked_from_a_process_of_one_thread() -> None:
    assert alone(threads_of_what_forked_this, ()) == 1
