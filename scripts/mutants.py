#!/usr/bin/env python3
"""Changes one place of a core file at a time, builds, runs the module's tests; see mutants.sh.

mutants.py CHECKOUT BUILD COUNT SEED [MODULE...]
Exit code 1 where fewer than 85 of 100 changes that compile are noticed."""
import glob
import os
import random
import re
import resource
import subprocess
import sys
import tempfile

tree, build, count, seed = sys.argv[1], sys.argv[2], int(sys.argv[3]), int(sys.argv[4])
modules = sys.argv[5:] or ["optics", "motion", "interaction", "cutout", "render", "edit"]
SHARE = 0.85

# What is looked for, and what it becomes. Spaces around keep templates and pointers out. A comparison becomes its
# opposite: whether equal numbers belong to one side or the other is most often of no account. Tolerances stay.
changes = [(r"(?<=[\w)\]]) \+ (?=[\w(])", " - "), (r"(?<=[\w)\]]) - (?=[\w(])", " + "),
           (r"(?<=[\w)\]]) \* (?=[\w(])", " / "), (r"(?<=[\w)\]]) / (?=[\w(])", " * "),
           (r" < ", " >= "), (r" <= ", " > "), (r" > ", " <= "), (r" >= ", " < "),
           (r" == ", " != "), (r" != ", " == "), (r" && ", " || "), (r" \|\| ", " && "),
           (r"(?<![\w.\"])\d+\.\d+(?![\w.])", lambda m: str(float(m.group()) * 1.25 + 0.05)),
           (r"(?<![\w.\[\"])(?<!e-)[1-9]\d?(?![\w.\"\]])", lambda m: str(int(m.group()) + 1))]


def places():
    """(file, number of the line, the line as it becomes) of everything that could be changed."""
    found = []
    for module in modules:
        for path in sorted(glob.glob(os.path.join(tree, "src", module, "*.cc"))):
            for number, line in enumerate(open(path), 1):
                code = line.split("//")[0]
                bare = code.strip()
                if not bare or bare.startswith(("#", "///", "*", "template", "using", "namespace", "static_assert")) or '"' in code:
                    continue
                for pattern, new in changes:
                    for match in re.finditer(pattern, code):
                        text = new(match) if callable(new) else new
                        found.append((module, path, number, line[:match.start()] + text + line[match.end():]))
    return found


def run(command, limit):
    """Exit code; not 0 where it took more than `limit` seconds of the processor, whatever else runs beside it, or
    where it waited for half an hour."""
    def bound():
        resource.setrlimit(resource.RLIMIT_CPU, (int(limit) + 1, int(limit) + 1))
    # In a home of its own: what was made before the change, and kept in the cache folder, would hide it.
    with tempfile.TemporaryDirectory(prefix="home-") as home:
        try:
            return subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, timeout=1800,
                                  preexec_fn=bound, env={**os.environ, "HOME": home}).returncode
        except subprocess.TimeoutExpired:
            return None


def spent():
    """Seconds of the processor that ended children have taken."""
    usage = resource.getrusage(resource.RUSAGE_CHILDREN)
    return usage.ru_utime + usage.ru_stime


subprocess.run(["ninja", "-C", build, *[f"test_{m}" for m in modules]], check=True, stdout=subprocess.DEVNULL)
usual = {}
for module in modules:
    begun = spent()
    if run([os.path.join(build, "bin", f"test_{module}")], 1800) != 0:
        sys.exit(f"The tests of {module} fail as they are.")
    usual[module] = spent() - begun
random.seed(seed)
everything = places()
by_module = {m: [p for p in everything if p[0] == m] for m in modules}
noticed, missed, uncompiled = 0, [], 0
for i in range(count):
    module = modules[i % len(modules)]  # as many of each
    while True:
        _, path, number, changed = by_module[module].pop(random.randrange(len(by_module[module])))
        before = open(path).read()
        lines = before.splitlines(keepends=True)
        old = lines[number - 1]
        lines[number - 1] = changed
        open(path, "w").write("".join(lines))
        try:
            if run(["ninja", "-C", build, f"test_{module}"], 1200) != 0:
                uncompiled += 1
                continue  # another one instead
            seen = run([os.path.join(build, "bin", f"test_{module}"), "--gtest_fail_fast", "--gtest_brief=1"],
                       10 + 8 * usual[module]) != 0
        finally:
            open(path, "w").write(before)
        break
    where = f"{os.path.relpath(path, tree)}:{number}"
    print(f"{i + 1:3} {'noticed' if seen else 'MISSED '} {where}\n      {old.strip()}\n    > {changed.strip()}", flush=True)
    noticed += seen
    if not seen:
        missed.append(where)
print(f"{noticed} of {count} noticed ({100 * noticed / count:.0f} %), {uncompiled} more did not compile.")
sys.exit(0 if noticed >= SHARE * count else 1)
