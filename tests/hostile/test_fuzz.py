"""A minute of mutated files in every run of the tests; ``python -m tests.hostile.fuzz`` goes on as long as wanted."""

import random
import time

import pytest

from tests.hostile.fuzz import MEGABYTES, SECONDS, Result, mutated, run
from tests.hostile.readers import READERS, Reader
from tests.machine import slowness

#: All readers together.
MINUTE = 60.0
#: However slow the machine, so many at least.
LEAST = 40


def said(result: Result) -> str:
    return "\n".join(
        f"python -m tests.hostile.fuzz --reader {f.reader} --seed {f.seed} --inputs 1\n{f.what}"
        for f in result.findings
    )


@pytest.mark.parametrize("reader", READERS, ids=lambda reader: reader.name)
def test_mutated_files_are_read_or_refused_and_nothing_else(reader):
    seconds = SECONDS * slowness()
    result = run(reader, range(LEAST), seconds=seconds)
    until = time.monotonic() + MINUTE / len(READERS)
    more = run(reader, range(LEAST, 10**9), until, seconds=seconds)
    assert not result.findings and not more.findings, said(result) + said(more)
    # It has to reach past the first check to be worth anything.
    total, refused = result.inputs + more.inputs, result.refused + more.refused
    assert refused < 0.99 * total


@pytest.mark.parametrize("reader", READERS, ids=lambda reader: reader.name)
def test_whole_files_are_read(reader):
    for data in reader.seeds():
        reader.read(data)


def test_an_input_can_be_made_again_from_its_number():
    for reader in READERS[:4]:
        assert mutated(reader, 7) == mutated(reader, 7)
        assert len({mutated(reader, k) for k in range(20)}) > 10


# What it looks for, it finds.


def broken(read, **more) -> Result:
    def unchanged(chance: random.Random, data: bytes) -> bytes:
        return data

    return run(Reader("broken", read, lambda: [b"x"], (unchanged,)), range(3), most=1, **more)


def test_a_foreign_exception_is_a_finding():
    (found,) = broken(lambda data: {}[data]).findings
    assert "foreign" in found.what and "KeyError" in found.what and found.data == b"x"


def test_an_exception_that_only_the_last_guard_caught_is_a_finding():
    from deft_reach.formats.reading import reader

    (found,) = broken(reader(lambda data: 1 // 0)).findings
    assert "caught only at the last" in found.what and "ZeroDivisionError" in found.what


def test_slowness_and_hunger_are_findings():
    def work(data: bytes) -> None:
        begin = time.process_time()
        while time.process_time() - begin < 0.08:
            pass

    (found,) = broken(work, seconds=0.05).findings
    assert "took 0.1 s" in found.what

    def hang(data: bytes) -> None:
        while True:
            pass

    (found,) = broken(hang, seconds=0.05).findings
    assert "not done within 3 s" in found.what
    (found,) = broken(lambda data: bytearray(int(3 * MEGABYTES * 1e6)).count(1)).findings
    assert "MB" in found.what
