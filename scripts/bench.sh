#!/usr/bin/env bash
# Builds and runs the benchmarks, each with its yardstick in the same run, and writes docs/performance.md.
# The preset is release unless named.
set -euo pipefail
cd "$(dirname "$0")/.."
preset=${1:-release}
scripts/build.sh "$preset"
ninja -C "build/$preset" bench_render bench_desk bench_scene bench_footage bench_writing bench_demo bench_checks bench_grade bench_light
home=$(mktemp -d)
trap 'rm -rf "$home"' EXIT
"build/$preset/bin/bench_render" --benchmark_enable_random_interleaving=true --benchmark_out="$home/render.json" --benchmark_out_format=json
HOME=$home XDG_RUNTIME_DIR=$home xvfb-run -a -s "-screen 0 1280x800x24" "build/$preset/bin/bench_desk" \
    --benchmark_out="$home/desk.json" --benchmark_out_format=json
"build/$preset/bin/bench_scene" --benchmark_out="$home/scene.json" --benchmark_out_format=json
TMPDIR=$home "build/$preset/bin/bench_footage" --benchmark_repetitions=3 --benchmark_out="$home/footage.json" --benchmark_out_format=json
TMPDIR=$home "build/$preset/bin/bench_writing" --benchmark_enable_random_interleaving=true --benchmark_out="$home/writing.json" --benchmark_out_format=json
TMPDIR=$home "build/$preset/bin/bench_demo" --benchmark_repetitions=4 --benchmark_enable_random_interleaving=true --benchmark_out="$home/demo.json" --benchmark_out_format=json
"build/$preset/bin/bench_checks" --benchmark_repetitions=5 --benchmark_out="$home/checks.json" --benchmark_out_format=json
"build/$preset/bin/bench_grade" --benchmark_out="$home/grade.json" --benchmark_out_format=json
"build/$preset/bin/bench_light" --benchmark_out="$home/light.json" --benchmark_out_format=json
python3 scripts/bench_table.py "$home/render.json" "$home/desk.json" "$home/scene.json" "$home/footage.json" "$home/writing.json" "$home/demo.json" "$home/checks.json" "$home/grade.json" "$home/light.json" >docs/performance.md
cat docs/performance.md
