#!/usr/bin/env python3
"""A run is one unit: whatever fails, and wherever it is killed.

usage: injection-test.py PROGRAM

Each command of the table replaces a set of files by a new one. It is run once for every
call of the system that it makes of the kinds below; that call fails with "no space left"
or with an input/output error, or the process is killed at it. After that:

- the status is that of what has happened: 0 or 1 where all files are new, 2 where all are
  as they were, 3 where neither could be brought about, or where the files are new and the
  answer could not be printed (and then the message names each);
- once the next run has come by, all files are old or all are new, and no input is changed;
- the same command then does its work, and leaves nothing unfinished.

Calls are counted in each thread of a process by itself, as strace does it.
"""

import collections
import concurrent.futures
import hashlib
import os
import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

PROGRAM = os.path.abspath(sys.argv[1])
CALLS = {
    "write": ["write", "pwrite64", "writev", "copy_file_range"],
    "fsync": ["fsync", "fdatasync"],
    "rename": ["rename", "renameat", "renameat2", "link", "linkat"],
    "openat": ["openat"],
    "close": ["close"],
}
FAULTS = ["error=ENOSPC", "error=EIO", "signal=KILL"]
ENVIRONMENT = {**os.environ, "EMVO_LEDGER": "", "RAYON_NUM_THREADS": "1", "LC_ALL": "C.UTF-8"}


def calendar(*events):
    lines = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Norrsund Line//Quay//EN"]
    for number, (title, start) in enumerate(events):
        lines += ["BEGIN:VEVENT", f"UID:{number}-{title.lower()}@example.org", "DTSTAMP:20260101T000000Z",
                  f"SUMMARY:{title}", f"DTSTART:{start}", "DURATION:PT1H", "END:VEVENT"]
    return "\r\n".join([*lines, "END:VCALENDAR", ""])


OLD = {
    "in/crew.ics": calendar(("Departure", "20260901T060000Z"), ("Broken", "2026-99-99")),
    "in/quay.ics": calendar(("Arrival", "20260902T060000Z")),
    "plan.toml": """
[[source]]
path = "in/crew.ics"
into = "crew"
[[source]]
path = "in/quay.ics"
into = "quay"
[[destination]]
name = "crew"
path = "out/crew.ics"
[[destination]]
name = "quay"
path = "other/quay.ics"
[check]
reconcile = true
report = "out/report.html"
""",
}
NEW = {
    **OLD,
    "in/crew.ics": calendar(("Departure", "20260901T070000Z"), ("Loading", "20260903T060000Z"), ("Torn", "2026-88-88")),
    "in/quay.ics": calendar(("Arrival", "20260902T070000Z"), ("Mooring", "20260904T060000Z")),
}

# What is run, and the folders of its files. `in` holds what may not change.
TABLE = {
    "merge": ["merge", "in/crew.ics", "in/quay.ics", "-o", "out/all.ics", "--report", "other/report.html",
              "--receipt", "out/receipt.json", "--overwrite"],
    "convert": ["convert", "in", "-o", "out", "--to", "csv", "--overwrite"],
    "repair": ["repair", "in/crew.ics", "-o", "out/crew.ics", "--report", "out/repairs.csv", "--overwrite"],
    "bundle": ["bundle", "in", "-o", "out/backup.zip", "--overwrite"],
    "run": ["run", "plan.toml"],
    "changes": ["changes", "in/crew.ics", "in/quay.ics", "-o", "out/new.ics", "--cancellations", "out/gone.ics",
                "--by-hand", "other/by-hand.csv", "--report", "out/changes.html", "--overwrite"],
}


def write_all(folder, files):
    for path, text in files.items():
        path = folder / path
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, newline="")


def state_of(folder, *, of_inputs=False):
    """Digests of all files, without what is unfinished."""
    state = {}
    for path in sorted(folder.rglob("*")):
        name = path.relative_to(folder).as_posix()
        is_input = name.startswith("in/") or name == "plan.toml"
        if path.is_file() and is_input == of_inputs and not path.name.startswith(".emvo-") \
                and not path.name.endswith(".emvo-journal"):
            state[name] = hashlib.sha256(path.read_bytes()).hexdigest()
    return state


def unfinished(folder):
    return [str(path) for path in folder.rglob(".*") if ".emvo-" in path.name]


def emvo(folder, words, inject=None):
    command = [PROGRAM, *words]
    if inject:
        calls, fault = inject
        command = ["strace", "-f", "-qq", "-o", "/dev/null", "-e", f"trace={calls}", "-e", f"inject={calls}:{fault}", *command]
    done = subprocess.run(command, cwd=folder, env=ENVIRONMENT, capture_output=True, text=True, timeout=120)
    return done.returncode, done.stdout + done.stderr


def prepared(name, root):
    """A folder with the old set and the new inputs; the states before and after."""
    folder = root / name
    write_all(folder, OLD)
    (folder / "out").mkdir()
    (folder / "other").mkdir()
    status, said = emvo(folder, TABLE[name])
    assert status in (0, 1), f"{name}: {said}"
    write_all(folder, NEW)
    old = state_of(folder)
    after = root / f"{name}-after"
    shutil.copytree(folder, after)
    status, said = emvo(after, TABLE[name])
    assert status in (0, 1), f"{name}: {said}"
    new = state_of(after)
    assert old != new and old.keys() == new.keys(), f"{name}: {old.keys() ^ new.keys()}"
    return folder, old, new


def counts(name, folder, root):
    """How often each kind of call is made, in the thread that makes it most."""
    found = {}
    for kind, calls in CALLS.items():
        copy = root / f"{name}-count-{kind}"
        shutil.copytree(folder, copy)
        log = root / f"{name}-{kind}.log"
        subprocess.run(["strace", "-f", "-qq", "-o", str(log), "-e", "trace=" + ",".join("?" + call for call in calls), PROGRAM,
                        *TABLE[name]], cwd=copy, env=ENVIRONMENT, capture_output=True, check=False)
        threads = collections.Counter(line.split()[0] for line in log.read_text().splitlines() if "(" in line)
        found[kind] = max(threads.values())
        shutil.rmtree(copy)
    return found


def tried(job):
    name, folder, old, new, kind, fault, when, root = job
    case = f"{name}: {kind} {when} {fault}"
    copy = Path(tempfile.mkdtemp(dir=root))
    shutil.copytree(folder, copy, dirs_exist_ok=True)
    inputs = state_of(copy, of_inputs=True)
    calls = ",".join("?" + call for call in CALLS[kind])
    status, said = emvo(copy, TABLE[name], (calls, f"{fault}:when={when}"))
    now = state_of(copy)
    wrong = []
    is_killed = status in (-9, 137)
    # A folder that cannot be closed ends the library's own way, and is told as a fault.
    if "panicked" in said or ("fault in Emvo itself" in said and "closedir" not in said):
        wrong.append("it panicked")
    # An input that could not be opened: what could be read is written, and that is said.
    is_without_an_input = status == 1 and "cannot be read" in said and now != old
    if is_without_an_input:
        new = now
    if not is_killed:
        # 127: the system could not start the program.
        expected = {0: [new], 1: [new], 2: [old], 127: [old]}.get(status, [])
        if status == 3:
            wrong += [f"status 3, and `{name}` is not named" for name in new if name not in said]
        elif now not in expected:
            wrong.append(f"status {status}, and the files are neither")
    # The next run, which writes nothing itself.
    _, said_next = emvo(copy, ["survey", "out", "other"])
    now = state_of(copy)
    if now not in (old, new):
        mixed = {path: "new" if now.get(path) == new.get(path) else "old" if now.get(path) == old.get(path) else "other"
                 for path in new}
        wrong.append(f"after the next run: {mixed}\n{said_next}")
    if state_of(copy, of_inputs=True) != inputs:
        wrong.append("an input is changed")
    emvo(copy, TABLE[name])
    if not is_without_an_input and state_of(copy) != new:
        wrong.append("the same command again does not do its work")
    if left := unfinished(copy):
        wrong.append(f"left behind: {left}")
    shutil.rmtree(copy)
    kind_of_end = "killed" if is_killed else f"status {status}"
    return case, kind_of_end, wrong, said


def without_threads(name, folder, new, root):
    """What is wrong where the system starts no thread, and where it starts one and no more."""
    wrong = []
    for when in ("1+", "2+"):
        copy = Path(tempfile.mkdtemp(dir=root))
        shutil.copytree(folder, copy, dirs_exist_ok=True)
        status, said = emvo(copy, TABLE[name], ("?clone,?clone3", f"error=EAGAIN:when={when}"))
        if status not in (0, 1) or state_of(copy) != new:
            wrong.append(f"{name}: without threads from {when}: status {status}\n{said}")
        shutil.rmtree(copy)
    return wrong


def main():
    # In memory where that is possible: nothing here is about the disk itself.
    shared = "/dev/shm" if os.access("/dev/shm", os.W_OK) else None
    root = Path(tempfile.mkdtemp(prefix="injection-", dir=shared))
    if subprocess.run(["strace", "-qq", "-o", "/dev/null", "true"], check=False).returncode != 0:
        sys.exit("strace cannot follow a process here, so that nothing can be made to fail")
    jobs, threadless = [], []
    for name in TABLE:
        folder, old, new = prepared(name, root)
        threadless += without_threads(name, folder, new, root)
        for kind, count in counts(name, folder, root).items():
            for fault in FAULTS:
                jobs += [(name, folder, old, new, kind, fault, when, root) for when in range(1, count + 1)]
    ends, failed = collections.Counter(), 0
    with concurrent.futures.ThreadPoolExecutor(os.cpu_count() or 2) as pool:
        for case, end, wrong, said in pool.map(tried, jobs):
            ends[case.split(":")[0], end] += 1
            if wrong:
                failed += 1
                print(f"FAILED {case} ({end})\n  " + "\n  ".join(wrong) + "\n  it said: " + said.replace("\n", "\n  "))
    shutil.rmtree(root)
    for (name, end), count in sorted(ends.items()):
        print(f"{name:8} {end:10} {count}")
    print(f"{len(jobs)} faults, {failed} with a mix of old and new, a wrong status, or something left behind")
    print("\n".join(threadless) or "without threads: all of it is done by one")
    sys.exit(1 if failed or threadless else 0)


if __name__ == "__main__":
    main()
