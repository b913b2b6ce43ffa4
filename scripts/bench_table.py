#!/usr/bin/python3
"""Benchmark results (JSON) as a page of tables, with the date and the machine.

bench_table.py RENDER.json DESK.json SCENE.json FOOTAGE.json WRITING.json DEMO.json CHECKS.json GRADE.json LIGHT.json: of each, the best of several runs counts, because machines are shared and change
their speed from minute to minute; what is compared ran side by side."""
import json
import sys

render, desk, whole, footage, writing, demo, checks, grade, light = (json.load(open(path)) for path in sys.argv[1:10])
cpu = next((line.split(":")[1].strip() for line in open("/proc/cpuinfo") if line.startswith("model name")), "unknown")


def runs(result):
    found = {}
    for run in result["benchmarks"]:
        if run.get("run_type") == "iteration" and "real_time" in run:
            found.setdefault(run["name"].split("/")[0], []).append(run)
    return found


def machine(result):
    context = result["context"]
    return f"{context['date'][:10]}, {context['num_cpus']} cores of {cpu}\n"


made = runs(render)


def ms(name):
    return min(run["real_time"] for run in made[name]) if name in made else None


def decibel(name):
    return made[name][0].get("dB") if name in made else None


print("# What was measured\n\n`scripts/bench.sh` makes this page anew. Machines differ, so every figure stands beside a yardstick of the "
      "same run. Programs before and after a change, run in turns: [performance_in_turns.md](performance_in_turns.md).\n")
print("## The renderer\n\n" + machine(render))
print("1920 x 1080; ten planes: an opaque backdrop, six of 30 % cover, three of 15 % at the borders, discs of up to 40 px radius, small "
      "bright highlights (`bench/ten_planes.cc`). Distances are PSNR as the screen shows it, whole frame, against 2048 rays.\n")
print("| what | measured | must | aim | |\n|---|---|---|---|---|")


def row(what, value, must, aim, shown, less=True):
    if value is None:
        print(f"| {what} | not measured here | {shown(must)} | {shown(aim)} | |")
        return
    good = (lambda bound: value <= bound) if less else (lambda bound: value >= bound)
    verdict = "aim reached" if good(aim) else "must reached" if good(must) else "**not met**"
    print(f"| {what} | {shown(value)} | {shown(must)} | {shown(aim)} | {verdict} |")


def ratio(a, b):
    return ms(a) / ms(b) if ms(a) and ms(b) else None


times = lambda v: f"{v:.2f} x"
db = lambda v: f"{v:.1f} dB"
row("pinhole over OpenCV's warp and over, 2 threads", ratio("pinhole", "warp"), 1 / 3, 1 / 5, times)
row("pinhole over software OpenGL, 2 threads", ratio("pinhole", "gl"), 1 / 3, 1 / 5, times)
if ms("warp veils") and ms("gl veils"):
    fastest = "warp veils" if ms("warp veils") < ms("gl veils") else "gl veils"
    row("ten transparent full frames over the faster of both", ratio("pinhole veils", fastest), 0.7, 0.4, times)
row("drawing everything over skipping what is not seen", ratio("pinhole everything", "pinhole"), 4, 6, times, False)
row("draft over pinhole, 1 thread", ratio("draft", "pinhole 1 thread"), 5, 3, times)
row("draft's distance", decibel("draft"), 39, 41, db, False)
row("draft with the shutter open, over draft without", ratio("draft exposed", "draft"), 1.4, 1.2, times)
row("its distance", decibel("draft exposed"), 30, 34, db, False)
row("64 rays over pinhole, 1 thread", ratio("final 64", "pinhole 1 thread"), 40, 25, times)
row("their distance", decibel("final 64"), 45, 46, db, False)
row("128 rays over pinhole, 1 thread", ratio("final 128", "pinhole 1 thread"), 75, 45, times)
row("their distance", decibel("final 128"), 49, 50, db, False)
row("rays by need, noise below 0.62 %, over pinhole, 1 thread", ratio("final by need 1.58", "pinhole 1 thread"), 14, 9, times)
row("their distance", decibel("final by need 1.58"), 46, 46, db, False)
row("rays by need, noise below 0.31 %, over pinhole, 1 thread", ratio("final by need 0.78", "pinhole 1 thread"), 24, 16, times)
row("their distance", decibel("final by need 0.78"), 50, 50, db, False)
row("64 rays over OpenCV's discs, layer by layer, 1 thread", ratio("final 64", "opencv discs"), 1, 0.5, times)
row("the shutter open, over 64 rays without", ratio("final 64 exposed", "final 64"), 1.3, 1.2, times)
row("1 thread over 2, pinhole", ratio("pinhole 1 thread", "pinhole"), 1.6, 1.8, times, False)
row("1 thread over 2, 64 rays", ratio("final 64", "final 64 2 threads"), 1.6, 1.8, times, False)
row("a hundred planes over ten of the same cover", ratio("pinhole hundred", "pinhole"), 1.6, 1.2, times)
row("5,000 particles in a draft with lens and shutter, over it without", ratio("draft exposed with 5000 particles", "draft exposed"), 1.6, 1.25, times)
row("20,000 particles in 64 rays with the shutter open, over them without", ratio("final 64 exposed with 20000 particles", "final 64 exposed"), 1.8, 1.4, times)
row("a cloud that fills the frame, over a draft without", ratio("draft with a cloud", "draft"), 1.8, 1.4, times)
row("a cloud that fills the frame, over 64 rays without", ratio("final 64 with a cloud", "final 64"), 2, 1.5, times)
if ms("pinhole rippling"):
    row("a ripple on a full-frame layer adds, 2 threads", ms("pinhole rippling") - ms("pinhole, frame after frame"), 30, 15, lambda v: f"{v:.1f} ms")
if "stopping" in made:
    row("work in flight is dropped within, at worst", max(run["worst_ms"] for run in made["stopping"]), 10, 5, lambda v: f"{v:.1f} ms")
print("\n| benchmark | best of the runs |\n|---|---|")
for name in made:
    if name != "stopping" and not name.startswith("cover"):
        print(f"| {name} | {ms(name):.1f} ms |")
print("\n`pinhole everything`: every plane over every pixel of its box, farthest first, by the same kernel. `final 64 exposed`: the "
      "camera trucks at 0.7 m/s, as in the demo, by which the nearest plane streaks over 36 px. `final 64 bent`: the backdrop bent by 60 "
      "degrees, whose rays meet a mesh.\n")
if "cover" in made and "cover hundred" in made:
    print(f"In front of the backdrop the ten planes cover {made['cover'][0]['frames']:.2f} frames, the hundred, as if cut from them, "
          f"{made['cover hundred'][0]['frames']:.2f}.\n")

print("## Footage\n\n" + machine(footage))
print("A clip of 1920 x 1080 (H.264, 4:2:0, a key frame every two seconds) that fills the frame, as a pinhole sees it, 96 frames, "
      "over FFmpeg decoding them and doing nothing with them (`bench/footage_bench.cc`).\n")
print("| what | measured | must | aim | |\n|---|---|---|---|---|")
clip = {}
for run in footage["benchmarks"]:
    if run.get("run_type") == "iteration":
        name = run["name"].split("/real_time")[0]
        clip[name] = min(run["real_time"], clip.get(name, run["real_time"]))
decoding = clip["yardstickDecode"]
for name, what in (("clipLayer/forward", "forward"), ("clipLayer/backward", "backward"), ("clipLayer/half", "forward, 960 x 540")):
    row(f"{what}: {clip[name] / 96:.1f} ms a frame, decoding {decoding / 96:.1f}", clip[name] / decoding, 4, 2, times)
print()
print("## Writing\n\n" + machine(writing))
print("24 frames of the ten planes at 1920 x 1080, pinhole, the camera trucking, as H.264 (`bench/writing_bench.cc`), over the slower of "
      "rendering alone and the same encoder alone on frames that are ready.\n")
print("| what | measured | must | aim | |\n|---|---|---|---|---|")
best = {name: min(run["real_time"] for run in each) / 24 for name, each in runs(writing).items()}
slower = max(best["yardstickRender"], best["yardstickEncode"])
row(f"{best['write']:.1f} ms a frame; rendering {best['yardstickRender']:.1f}, encoding {best['yardstickEncode']:.1f}",
    best["write"] / slower, 1.25, 1.1, times)
print()
print("## From files to frames\n\n" + machine(demo))
print("The demo (13 layers, one of them a clip; shutter of 180 degrees but for pinhole), and four full-HD clips of unlike codecs beside each "
      "other, frame after frame without writing them (`bench/demo_bench.cc`).\n")
print("| what | measured | must | aim | |\n|---|---|---|---|---|")
end = {}
for run in demo["benchmarks"]:
    if run.get("run_type") == "iteration":
        name = run["name"].split("/iterations")[0].removeprefix("demoFrames/")
        if name not in end or run["real_time"] < end[name]["real_time"]:
            end[name] = run
took = {name: run["real_time"] for name, run in end.items()}
per = lambda v: f"{v:.1f} a second"
sec = lambda v: f"{v:.2f} s"
row("draft with the shutter open, over draft without", took["draftExposed"] / took["draft"], 1.4, 1.2, times)
row("that over 64 rays", took["draftExposed"] / took["final64"], 0.35, 0.25, times)
row("draft at 960 x 540 without the shutter, each frame new", 1000 / took["play"], 24, 48, per, False)
row("the same in a hurry, as the desk asks for it", 1000 / took["playHurried"], 24, 48, per, False)
row("four clips over FFmpeg decoding them", took["fourClipsForward"] / took["yardstickFourClips"], 4, 2, times)
row("first frame at 1920 x 1080, from the start of the program to its PNG file, cache folder warm", took["firstFrame/warm"] / 1000, 0.8, 0.4, sec)
row("the same, cold", took["firstFrame/cold"] / 1000, 2.0, 1.2, sec)
print("\n| 1920 x 1080 | ms a frame | of which, all threads together |\n|---|---|---|")
stages = ("decode", "read back", "levels", "convert", "draw", "cut", "lay out", "sample", "lens", "mix")
for name, what in (("pinhole", "pinhole"), ("draft", "draft"), ("draftExposed", "draft, shutter open"), ("final64", "64 rays"),
                   ("finalByNeed", "rays by need, noise below 0.3 %"), ("play", "draft at 960 x 540")):
    parts = " · ".join(f"{stage} {end[name][stage]:.1f}" for stage in stages if stage in end[name])
    print(f"| {what} | {took[name]:.1f} | {parts} |")
print()
print("## The desk\n\n" + machine(desk))
print("| benchmark | median | |\n|---|---|---|")
for name, each in runs(desk).items():
    middle = sorted(run["real_time"] for run in each)[len(each) // 2]
    notes = []
    if "per_second" in each[0]:
        notes.append(f"{sorted(run['per_second'] for run in each)[len(each) // 2]:.1f} per second")
    if "blocked_ms" in each[0]:
        notes.append(f"interface thread blocked for at most {max(run['blocked_ms'] for run in each):.1f} ms")
    if "late_percent" in each[0]:
        worst = max(each, key=lambda run: run["late_percent"])
        notes.append(f"{worst['late_percent']:.1f} % of frames late, {worst['never']:.0f} left out, the latest by "
                     f"{max(run['latest_ms'] for run in each):.1f} ms")
    if "wide_px" in each[0]:
        notes.append(f"Camera view {each[0]['wide_px']:.0f} x {each[0]['high_px']:.0f}")
    if "share_percent" in each[0]:
        notes.append(f"at {each[0]['share_percent']:.0f} % of the width and height")
    if "cards" in each[0]:
        notes.append(f"{each[0]['cards']:.0f} cards")
    if "bytes_per_second" in each[0]:
        notes.append(f"{each[0]['bytes_per_second'] / 1e9:.1f} GB/s")
    print(f"| {name} | {middle:.1f} {each[0]['time_unit']} | {' · '.join(notes)} |")
print("""
`planDrag`: one move of the mouse that drags a bar in the Plan of the demo with 300 scattered layers more, until the Plan is
painted and the Camera view shows a new picture (in a drag it is a draft, at a share of the view's size that takes about 18 ms).
The scattered lanterns flicker, each by its track, so that every step settles 300 of them.
`lampDrag`: the same with the boat's lantern in the demo as it is, whose light and shadow make pictures anew, the picture 960 x 540.
`markDrag`: the same with a mark of the demo, on which the whole move depends.
`playUncached`: 4 s of the demo played before any frame is there, 960 x 540; pictures come at a share of that size.
`playCached`: 15 s of the demo played from the cache, the picture 1280 x 720, every other view beside it; late is by more than half
a frame (worst of the runs). `yardstickShow`: as many pictures of that size shown by a bare widget.
`yardstickQt`: the same cards with their thumbnails painted by Qt's own rasteriser at the same size. `yardstickCopy`: 64 MB copied.""")

print("## Whole scenes\n\n" + machine(whole))
print("| 5000 layers, 500 of them with noise | best of the runs |\n|---|---|")
for name, each in runs(whole).items():
    print(f"| {name} | {min(run['real_time'] for run in each):.1f} ms |")
print("""
`measureAll`: what `measure` tells of every layer, its way over all frames included. Yardsticks: `choreography`, all checks of the
camera's way; `yardstickFrames`: every frame evaluated once; `yardstickFile`: the scene written as JSON and read.""")

print("\n## Checks\n\n" + machine(checks))


def best(name):
    return min((run["real_time"] for run in checks["benchmarks"]
                if run.get("run_type") == "iteration" and run["name"].startswith(name + "/")), default=None)


each = lambda v: f"{v:.1f} ms"
print("| what | measured | must | aim | |\n|---|---|---|---|---|")
row("all checks of the demo, pictures in memory", best("check/demo"), 50, 25, each)
row("a sky 30 % too small is told after", best("glance/smallSky"), 50, 10, each)
print("\n| what | all checks | the same frames rendered at 160 x 90 | share |\n|---|---|---|---|")
for name, what in (("demo", "the demo, 192 frames"), ("smallSky", "the demo with a sky 30 % too small"),
                   ("many", "300 layers, 240 frames")):
    check, frames = best("check/" + name), best("yardstick/" + name)
    if check and frames:
        print(f"| {what} | {check:.0f} ms | {frames:.0f} ms | {check / frames:.2f} |")

print("\n## Grade\n\n" + machine(grade))
print("A picture of 1920 x 1080 by ASC CDL, saturation and a look of 33 x 33 x 33, 1 thread, over OpenColorIO's own processor of the same "
      "transforms (`bench/grade_bench.cc`); both copy the picture first.\n")
print("| what | measured | must | aim | |\n|---|---|---|---|---|")
graded = {name: min(run["real_time"] for run in each) for name, each in runs(grade).items()}
row(f"{graded['ours']:.1f} ms over {graded['yardstickOpenColorIO']:.1f}", graded["ours"] / graded["yardstickOpenColorIO"], 1.1, 1.0, times)

print("\n## Light\n\n" + machine(light))
print("1920 x 1080, 2 threads, each beside the same picture without, in turns (`bench/light_bench.cc`); *moving*: the lamps are elsewhere in each picture, so all that "
      "they light is made anew. Four lamps on ten layers with edge light; four soft shadows on a floor; glow of 60 px on a full-frame layer; glare with streaks of six blades.\n")
print("| what | without | with | measured | must | aim | |\n|---|---|---|---|---|---|---|")
of_light = {run["name"].rsplit("/iterations", 1)[0]: run for run in light["benchmarks"]}


def light_row(what, name, counter, must, aim, shown):
    run = of_light[name]
    bounds = f"{shown(must)} | {shown(aim)} | " + ("aim reached" if run[counter] <= aim else "must reached" if run[counter] <= must else "**not met**") if must else " | | "
    print(f"| {what} | {run['without_ms']:.0f} ms | {run['with_ms']:.0f} ms | {shown(run[counter])} | {bounds} |")


more = lambda v: f"{v:+.0f} %"
later = lambda v: f"{v:+.0f} ms"
for method, must, aim in (("pinhole", 40, 20), ("draft", 25, 10), ("final64", 25, 10)):
    light_row(f"four lamps, {method}", f"lamps_still/{method}", "added_percent", must, aim, more)
    light_row(f"four lamps, moving, {method}", f"lamps_moving/{method}", "added_percent", None, None, more)
light_row("four soft shadows, final64", "shadows_still/final64", "added_percent", 40, 20, more)
light_row("four soft shadows, moving, final64", "shadows_moving/final64", "added_percent", None, None, more)
light_row("glow, still, pinhole", "glow_still/pinhole", "added_ms", None, None, later)
light_row("glow, made anew, pinhole", "glow_changing/pinhole", "added_ms", 25, 10, later)
light_row("glare, pinhole", "glare/pinhole", "added_ms", None, None, later)
