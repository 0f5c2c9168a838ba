"""Mutated files into every reader, for as long as wanted: ``python -m tests.hostile.fuzz --seconds 600``.

A reader may refuse a file with its own error, within two seconds and 200 megabytes. Anything else is a finding: it is
told with the seed that makes it again, and its input is written beside.
"""

from __future__ import annotations

import argparse
import signal
import sys
import time
import traceback
from collections.abc import Iterator
from pathlib import Path
from random import Random
from typing import NamedTuple

from tests.hostile.readers import READERS, Reader

#: The most that one input may take.
SECONDS, MEGABYTES = 2.0, 200.0
#: A reader that has not ended after so many times as long waits for something.
HANGS = 60


class Finding(NamedTuple):
    reader: str
    seed: int
    what: str
    data: bytes


class Result(NamedTuple):
    inputs: int
    refused: int
    slowest: float
    findings: tuple[Finding, ...]


class _HangError(BaseException):
    """Raised by the clock in the middle of whatever goes on for ever."""


def mutated(reader: Reader, seed: int) -> bytes:
    """The input with this number."""
    chance = Random(f"{reader.name} {seed}")
    data = chance.choice(_seeds(reader))
    return chance.choice(reader.mutations)(chance, data)


_known: dict[str, list[bytes]] = {}


def _seeds(reader: Reader) -> list[bytes]:
    if reader.name not in _known:
        _known[reader.name] = reader.seeds()
    return _known[reader.name]


def run(
    reader: Reader, seeds: Iterator[int] | range, until: float = float("inf"), most: int = 5, seconds: float = SECONDS
) -> Result:
    """Inputs of these seeds until the time (monotonic) is over, or there are ``most`` findings.

    No input may take more than so many ``seconds`` of processor time.
    """

    def ring(*_: object) -> None:
        raise _HangError

    before = signal.signal(signal.SIGALRM, ring)
    findings: list[Finding] = []
    inputs = refused = 0
    slowest = 0.0
    try:
        for seed in seeds:
            if time.monotonic() >= until or len(findings) >= most:
                break
            data = mutated(reader, seed)
            inputs += 1
            what = ""
            rest = _memory_from_here()
            begin = time.process_time()
            try:
                signal.setitimer(signal.ITIMER_REAL, HANGS * seconds)
                reader.read(data)
            except reader.refusals as error:
                refused += 1
                if error.__cause__ is not None:
                    what = "caught only at the last: " + "".join(traceback.format_exception(error.__cause__))
                elif not str(error).strip():
                    what = f"refused without a word: {error!r}"
            except _HangError:
                what = f"not done within {HANGS * seconds:g} s: " + "".join(traceback.format_exc()[-1500:])
            except Exception:
                what = "foreign: " + traceback.format_exc()
            finally:
                signal.setitimer(signal.ITIMER_REAL, 0)
            spent, grown = time.process_time() - begin, _memory("VmHWM") - rest
            slowest = max(slowest, spent)
            if not what and spent > seconds:
                what = f"took {spent:.1f} s"
            if not what and grown > MEGABYTES:
                what = f"took {grown:.0f} MB"
            if what:
                findings.append(Finding(reader.name, seed, what, data))
    finally:
        signal.signal(signal.SIGALRM, before)
    return Result(inputs, refused, slowest, tuple(findings))


def _memory_from_here() -> float:
    """What the process has now (MB); from here on the most it has is counted anew."""
    # See proc(5): 5 sets the peak back.
    Path("/proc/self/clear_refs").write_text("5")
    return _memory("VmRSS")


def _memory(name: str) -> float:
    """A figure of the process's memory (MB)."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return int(next(line.split()[1] for line in lines if line.startswith(f"{name}:"))) / 1024


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--seconds", type=float, default=60.0, help="in all, shared between the readers")
    parser.add_argument("--inputs", type=int, help="so many into each reader, however long that takes")
    parser.add_argument("--seed", type=int, default=0, help="the number of the first input")
    parser.add_argument("--reader", action="append", choices=[reader.name for reader in READERS])
    parser.add_argument("--out", type=Path, default=Path("findings"), help="where the inputs of findings are written")
    args = parser.parse_args()
    chosen = [reader for reader in READERS if not args.reader or reader.name in args.reader]
    total, bad = 0, 0
    for reader in chosen:
        last = args.seed + args.inputs if args.inputs else sys.maxsize
        until = float("inf") if args.inputs else time.monotonic() + args.seconds / len(chosen)
        result = run(reader, range(args.seed, last), until)
        total, bad = total + result.inputs, bad + len(result.findings)
        print(
            f"{reader.name:18} {result.inputs:6} inputs, {result.refused:6} refused, slowest {result.slowest:.2f} s, "
            f"{len(result.findings)} findings",
            flush=True,
        )
        for finding in result.findings:
            args.out.mkdir(exist_ok=True)
            file = args.out / f"{finding.reader}-{finding.seed}"
            file.write_bytes(finding.data)
            print(f"--- {finding.reader}, seed {finding.seed}, input in {file}\n{finding.what}")
    print(f"{total} inputs, {bad} findings")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
