#!/usr/bin/env python3
"""Holds the code against docs/architecture.md: includes go down the list of modules only, Qt stays in the desk."""
import os
import re
import sys

root = sys.argv[1]
text = open(os.path.join(root, "cmake", "StageModule.cmake")).read()
order = re.search(r"set\(STAGE_ORDER ([^)]*)\)", text).group(1).split()
failures = []


def module_of(path):
    """The longest of the names in the list that a path begins with."""
    return max((each for each in order if path.startswith(each + "/")), key=len, default=None)


for folder, _, files in os.walk(os.path.join(root, "src")):
    for name in files:
        if not name.endswith((".h", ".cc")):
            continue
        path = os.path.join(folder, name)
        module = module_of(os.path.relpath(path, os.path.join(root, "src")))
        if not module:
            failures.append(f"{path}: stands in no module of cmake/StageModule.cmake")
            continue
        for number, line in enumerate(open(path), 1):
            include = re.match(r'\s*#include ["<]([^">]+)[">]', line)
            if not include:
                continue
            what = include.group(1)
            if re.match(r"Q[A-Z]", what) and not module.startswith("desk/"):
                failures.append(f"{path}:{number}: Qt outside src/desk: {what}")
            used = module_of(what)
            if used and order.index(used) > order.index(module):
                failures.append(f"{path}:{number}: src/{module} may not use src/{used}")
docs = open(os.path.join(root, "docs", "architecture.md")).read()
for module in order:
    if f"`src/{module}`" not in docs:
        failures.append(f"docs/architecture.md does not name src/{module}")
print("\n".join(failures) or f"1 passed, 0 failed")
sys.exit(1 if failures else 0)
