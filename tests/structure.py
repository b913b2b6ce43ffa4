#!/usr/bin/env python3
"""Holds the code against docs/architecture.md: includes go down the list of modules only, Qt stays in the desk."""
import os
import re
import sys

root = sys.argv[1]
text = open(os.path.join(root, "cmake", "StageModule.cmake")).read()
order = re.search(r"set\(STAGE_ORDER ([^)]*)\)", text).group(1).split()
failures = []
for folder, _, files in os.walk(os.path.join(root, "src")):
    module = os.path.relpath(folder, os.path.join(root, "src")).split(os.sep)[0]
    for name in files:
        if not name.endswith((".h", ".cc")):
            continue
        path = os.path.join(folder, name)
        for number, line in enumerate(open(path), 1):
            include = re.match(r'\s*#include ["<]([^">]+)[">]', line)
            if not include:
                continue
            what = include.group(1)
            if re.match(r"Q[A-Z]", what) and module != "desk":
                failures.append(f"{path}:{number}: Qt outside src/desk: {what}")
            used = what.split("/")[0]
            if used in order and order.index(used) > order.index(module):
                failures.append(f"{path}:{number}: src/{module} may not use src/{used}")
docs = open(os.path.join(root, "docs", "architecture.md")).read()
for module in order:
    if f"`src/{module}`" not in docs:
        failures.append(f"docs/architecture.md does not name src/{module}")
print("\n".join(failures) or f"1 passed, 0 failed")
sys.exit(1 if failures else 0)
