#!/usr/bin/env python3
"""Runs the tests that stand in one file, out of a test program of several; in a home folder of its own, so that they can
run beside others.

run_file.py PROGRAM FILE"""
import json
import os
import re
import subprocess
import sys
import tempfile

program, source = sys.argv[1:3]
text = open(source, encoding="utf-8").read()
names = []
for kind, suite, name in re.findall(r"^TEST(_F|_P)?\(\s*(\w+),\s*(\w+)\)", text, re.MULTILINE):
    names.append(f"*/{suite}.{name}/*" if kind == "_P" else f"{suite}.{name}")
macros = len(re.findall(r"^\w*TEST\w*\(", text, re.MULTILINE))
made = len(re.findall(r"^INSTANTIATE_TEST_SUITE_P\(", text, re.MULTILINE))
if not names or macros != len(names) + made:
    sys.exit(f"{source}: {macros - made} tests, of which {len(names)} are understood")
with tempfile.TemporaryDirectory(prefix="home-") as home:
    report = os.path.join(home, "report.json")
    os.mkdir(os.path.join(home, "run"), 0o700)
    code = subprocess.run([program, "--gtest_filter=" + ":".join(names), "--gtest_output=json:" + report],
                          env={**os.environ, "HOME": home, "XDG_RUNTIME_DIR": os.path.join(home, "run")}).returncode
    if code == 0 and json.load(open(report))["tests"] < len(names):
        sys.exit(f"{source}: fewer tests ran than it has")
sys.exit(code if code >= 0 else 128 - code)
