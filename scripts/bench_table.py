#!/usr/bin/python3
"""Benchmark results (JSON) as a page of tables, with the date and the machine."""
import json
import sys

print("# What was measured\n\n`scripts/bench.sh` makes this page anew. Machines differ, so every figure stands beside a yardstick of the "
      "same run.\n")
for path in sys.argv[1:]:
    result = json.load(open(path))
    context = result["context"]
    cpu = next((line.split(":")[1].strip() for line in open("/proc/cpuinfo") if line.startswith("model name")), "unknown")
    print(f"{context['date'][:10]}, {context['num_cpus']} cores of {cpu}\n")
    print("| benchmark | median | |\n|---|---|---|")
    seen = set()
    for run in result["benchmarks"]:
        name = run["name"].split("/")[0]
        aggregate = run.get("aggregate_name")
        if (aggregate and aggregate != "median") or name in seen:
            continue
        if not aggregate and any(r.get("aggregate_name") == "median" and r["name"].startswith(name) for r in result["benchmarks"]):
            continue
        seen.add(name)
        notes = []
        if "per_second" in run:
            notes.append(f"{run['per_second']:.1f} per second")
        if "blocked_ms" in run:
            longest = max(r["blocked_ms"] for r in result["benchmarks"] if r["name"].startswith(name) and "aggregate_name" not in r)
            notes.append(f"interface thread blocked for at most {longest:.1f} ms")
        if "cards" in run:
            notes.append(f"{run['cards']:.0f} cards")
        if "bytes_per_second" in run:
            notes.append(f"{run['bytes_per_second'] / 1e9:.1f} GB/s")
        print(f"| {name} | {run['real_time']:.1f} {run['time_unit']} | {' · '.join(notes)} |")
    print()
print("""`planDrag`: one move of the mouse that drags a bar in the Plan of the demo with 300 scattered layers more, until the Plan is
painted and the Camera view shows a new picture (in a drag it is rendered at a share of the view's size that takes about 30 ms).
`yardstickQt`: the same cards with their thumbnails painted by Qt's own rasteriser at the same size. `yardstickCopy`: 64 MB copied.""")
