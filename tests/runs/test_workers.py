"""A process for heavy work: whatever becomes of it, the caller is told and the next job is done."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from lumenstat.errors import DocumentError, LogError, WorkerError
from lumenstat.runs.workers import Busy, Worker
from tests.runs import jobs


@pytest.fixture(scope="module")
def worker() -> Iterator[Worker]:
    made = Worker("test")
    yield made
    made.close()


def test_a_job_is_done_and_tells_how_far_it_is(worker: Worker) -> None:
    told: list[tuple[str, int, int]] = []
    assert worker.call(jobs.add, 2, 3, seconds=20, progress=lambda *at: told.append(at)) == 5
    assert told == [("adding", 0, 2), ("adding", 1, 2)]


def test_what_a_job_raises_comes_back_whole(worker: Worker) -> None:
    with pytest.raises(LogError) as found:
        worker.call(jobs.refuse, seconds=20)
    assert str(found.value) == "line 7: is not what it says"
    with pytest.raises(DocumentError) as refused:
        worker.call(jobs.refuse_documents, seconds=20)
    assert [(p.file, p.line, p.says, p.rule) for p in refused.value.problems] == [
        ("a.yaml", 3, "needs the key 'id'", "rule")
    ]


def test_a_process_that_dies_is_replaced(worker: Worker) -> None:
    before, replaced = worker.call(jobs.process_id, seconds=20), worker.replaced
    with pytest.raises(WorkerError, match="ended unexpectedly"):
        worker.call(jobs.die, seconds=20)
    after = worker.call(jobs.process_id, seconds=20)
    assert after != before
    assert worker.replaced == replaced + 1


def test_a_job_that_takes_too_long_is_broken_off(worker: Worker) -> None:
    begun = time.monotonic()
    with pytest.raises(WorkerError, match=r"took longer than 0\.5 s and was broken off"):
        worker.call(jobs.sleep, 30, seconds=0.5)
    assert time.monotonic() - begun < 10
    assert worker.call(jobs.add, 1, 1, seconds=20) == 2


def test_a_job_that_takes_too_much_memory_is_refused(worker: Worker) -> None:
    with pytest.raises(WorkerError, match="more than 2,000 MB"):
        worker.call(jobs.fill_memory, seconds=60)
    with pytest.raises(WorkerError, match="nested too deeply"):
        worker.call(jobs.nest, 0, seconds=20)


def test_memory_is_given_back_after_a_large_job(worker: Worker) -> None:
    before = worker.call(jobs.process_id, seconds=20)
    worker.call(jobs.grow, 400_000_000, seconds=60)
    assert not Path(f"/proc/{before}").exists()
    assert worker.call(jobs.process_id, seconds=20) != before


def test_few_jobs_wait_and_the_others_are_told() -> None:
    worker = Worker("busy", waiting_at_most=2)
    worker.call(jobs.process_id, seconds=20)
    threads = [threading.Thread(target=lambda: worker.call(jobs.sleep, 1.0, seconds=20)) for _ in range(2)]
    for each in threads:
        each.start()
    while worker.waiting < 2:
        time.sleep(0.01)
    with pytest.raises(Busy, match="Try again"):
        worker.call(jobs.add, 1, 1, seconds=20)
    for each in threads:
        each.join()
    assert worker.call(jobs.add, 1, 1, seconds=20) == 2
    worker.close()
    with pytest.raises(WorkerError, match="about to end"):
        worker.call(jobs.add, 1, 1, seconds=20)
