#!/usr/bin/env python3
"""Works the real program in a real window, under a small window manager, as a newcomer would: by the pointer and by
keys, with files that the program did not make. What is waited for is what the program leaves behind: windows, its
journal, scene files, pictures.

walk.py OPEN-STAGE OPEN-STAGE-CLI DRAG-SOURCE WIDTHxHEIGHT[@SCALE]
"""
import json
import math
import os
import re
import shutil
import signal
import struct
import subprocess
import sys
import tempfile
import time
import zipfile
import zlib

PROGRAM, CLI, SOURCE, SCREEN = sys.argv[1:5]
WIDTH, HEIGHT, SCALE = (int(n) for n in re.fullmatch(r"(\d+)x(\d+)(?:@(\d))?", SCREEN + ("" if "@" in SCREEN else "@1")).groups())
FOLDER = tempfile.mkdtemp(prefix="walk-")
PATIENCE = 60.0  # s for anything to happen


# ---- files, made without the program

def png(width, height, pixel):
    rows = b"".join(b"\0" + b"".join(bytes(pixel(x, y)) for x in range(width)) for y in range(height))

    def chunk(kind, body):
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    return (b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)) +
            chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b""))


def sky(x, y):
    return (40 + x * 90 // 640, 60 + y * 80 // 360, 150, 255)


def ball(x, y):
    d = math.hypot(x - 100, y - 100)
    return (220, 120 + (x * 7 + y * 3) % 20, 60, max(0, min(255, int(255 * (90 - d) / 4))))


def layered(path):
    """An OpenRaster file: a sky of 640x360 and a soft ball of 200x200 at (300, 100)."""
    over = lambda a, b, t: round(a * t + b * (1 - t))

    def merged(x, y):
        below = sky(x, y)
        if not (300 <= x < 500 and 100 <= y < 300):
            return below
        above = ball(x - 300, y - 100)
        return tuple(over(above[c], below[c], above[3] / 255) for c in range(3)) + (255,)

    with zipfile.ZipFile(path, "w") as file:
        file.writestr(zipfile.ZipInfo("mimetype"), "image/openraster")
        file.writestr("stack.xml", '<?xml version="1.0"?><image w="640" h="360" version="0.0.3"><stack>'
                      '<layer name="Ball" src="data/ball.png" x="300" y="100"/>'
                      '<layer name="Sky" src="data/sky.png"/></stack></image>')
        file.writestr("data/sky.png", png(640, 360, sky))
        file.writestr("data/ball.png", png(200, 200, ball))
        whole = png(640, 360, merged)
        file.writestr("mergedimage.png", whole)
        file.writestr("Thumbnails/thumbnail.png", png(64, 36, lambda x, y: sky(x * 10, y * 10)))
    with open(path + ".png", "wb") as file:
        file.write(whole)


def ffmpeg(*more):
    subprocess.run(["ffmpeg", "-v", "error", "-y", *more], check=True)


def photograph(path):
    """A bright disc before a meadow and a wall, as a camera would write it."""
    ffmpeg("-f", "lavfi", "-i",
           "nullsrc=s=900x600,geq=r='if(lt(hypot(X-300,Y-330),120),225,70+40*random(1)+X/20)'"
           ":g='if(lt(hypot(X-300,Y-330),120),90,if(gt(Y,400),130,90)+20*random(2))'"
           ":b='if(lt(hypot(X-300,Y-330),120),50,80+30*random(3))'", "-frames:v", "1", "-q:v", "3", path)


def clip(path):
    ffmpeg("-f", "lavfi", "-i", "testsrc2=s=320x180:r=24:d=1", "-c:v", "libx264", "-pix_fmt", "yuv420p", path)


def pixels(path, frame=0):
    """Width, height and RGB of one picture."""
    size = subprocess.run(["ffprobe", "-v", "error", "-select_streams", "v", "-show_entries", "stream=width,height",
                           "-of", "csv=p=0", path], check=True, capture_output=True, text=True).stdout.strip()
    width, height = (int(n) for n in size.split(",")[:2])
    raw = subprocess.run(["ffmpeg", "-v", "error", "-i", path, "-vf", f"select=eq(n\\,{frame})", "-frames:v", "1",
                          "-pix_fmt", "rgb24", "-f", "rawvideo", "-"], check=True, capture_output=True).stdout
    return width, height, raw


def likeness(a, b):
    """dB between two pictures of one size."""
    expect(a[:2] == b[:2], f"pictures of {a[:2]} and {b[:2]}")
    error = sum((p - q) ** 2 for p, q in zip(a[2], b[2])) / len(a[2])
    return 10 * math.log10(255 ** 2 / max(error, 1e-6))


# ---- waiting and telling

class Stuck(Exception):
    pass


def expect(holds, what):
    if not holds:
        raise Stuck(what)


def wait(what, test, patience=PATIENCE):
    end = time.time() + patience
    while True:
        found = test()
        if found:
            return found
        expect(time.time() < end, f"waited {patience:.0f} s for {what}")
        time.sleep(0.05)


def step(text):
    print(f"{time.time() - begun:6.1f} s  {text}", flush=True)


# ---- hands

def run(*command):
    return subprocess.run(command, env=env, capture_output=True, text=True)


def titles():
    return [line.split(None, 3)[3] for line in run("wmctrl", "-l").stdout.splitlines() if len(line.split(None, 3)) > 3]


def window(part):
    return wait(f"a window named '{part}', among {titles()}", lambda: any(part in t for t in titles()))


def gone(part):
    wait(f"the window '{part}' to go", lambda: not any(part in t for t in titles()))
    for _ in range(50):  # on a busy machine the next window gets the keys a little later; there may be none
        if run("xdotool", "getactivewindow").stdout.strip():
            break
        time.sleep(0.1)


def active(part):
    wait(f"'{part}' to have the keys", lambda: part in run("xdotool", "getactivewindow", "getwindowname").stdout)


def key(*keys):
    for each in keys:
        run("xdotool", "key", "--clearmodifiers", each)
        time.sleep(0.08)


def type_text(text):
    run("xdotool", "type", "--delay", "8", text)


def area():
    """x, y, width, height of the program's window, px of the screen."""
    for each in run("xdotool", "search", "--onlyvisible", "--name", "— Open Stage$").stdout.split():
        told = run("xwininfo", "-id", each).stdout
        found = [re.search(name + r":\s+(-?\d+)", told) for name in
                 ("Absolute upper-left X", "Absolute upper-left Y", "Width", "Height")]
        if all(found) and int(found[2].group(1)) >= 900 * SCALE:
            return tuple(int(each.group(1)) for each in found)
    return None


def place(view, across, up):
    """A share of a view, px of the screen."""
    x, y, w, h = area()
    left, top, wide, tall = view
    return round(x + w * (left + wide * across)), round(y + h * (top + tall * up))


# Shares of the window: what lies left and right above the timeline.
CAMERA = (0.04, 0.16, 0.40, 0.33)
CUT = (0.48, 0.14, 0.31, 0.48)


def move(at):
    run("xdotool", "mousemove", str(at[0]), str(at[1]))


def click(at):
    move(at)
    run("xdotool", "click", "1")


def drag(places, modifier=None):
    move(places[0])
    if modifier:
        run("xdotool", "keydown", modifier)
    run("xdotool", "mousedown", "1")
    for a, b in zip(places, places[1:]):
        for i in range(1, 9):
            move((a[0] + (b[0] - a[0]) * i // 8, a[1] + (b[1] - a[1]) * i // 8))
            time.sleep(0.012)
    time.sleep(0.1)
    run("xdotool", "mouseup", "1")
    if modifier:
        run("xdotool", "keyup", modifier)


def drop(*files):
    source = subprocess.Popen([SOURCE, *files], env={**env, "QT_SCALE_FACTOR": "1"})

    def titled(title):
        return run("xdotool", "search", "--onlyvisible", "--name", f"^drag source{title}$").stdout.strip()

    wait("the window to drag from", lambda: titled(""))
    at = place(CAMERA, 0.5, 0.5)
    move((12, 12))
    time.sleep(0.3)
    run("xdotool", "mousedown", "1")
    wait("the drag to begin", lambda: titled(", dragging"))
    for i in range(1, 13):
        move((12 + (at[0] - 12) * i // 12, 12 + (at[1] - 12) * i // 12))
        time.sleep(0.05)
    wait("the program to take what is dragged", lambda: titled(", over a taker"))
    run("xdotool", "mouseup", "1")
    source.wait(PATIENCE)


def loop(view, cx, cy, rx, ry):
    drag([place(view, cx + rx * math.cos(t * math.pi / 8), cy + ry * math.sin(t * math.pi / 8)) for t in range(17)])


def answer(question, *keys):
    """After the time in which a question takes no keys, which question_test holds to: on a busy machine the start of
    xdotool alone can take as long, so that a key sent at once may come after it."""
    active(question)
    time.sleep(1.0)
    key(*keys)


# ---- what the program leaves behind

def journals():
    found = []
    for at, _, names in os.walk(env["HOME"]):
        found += [os.path.join(at, n) for n in names if n.endswith(".journal")]
    for name in os.listdir(FOLDER):
        if name.endswith(".journal"):
            found.append(os.path.join(FOLDER, name))
    return found


def edits():
    """All edits in all journals."""
    found = []
    for each in journals():
        with open(each, encoding="utf-8") as file:
            for line in file:
                try:
                    entry = json.loads(line)
                except ValueError:
                    continue
                if "do" in entry:
                    found.append(entry["do"])
    return found


def kinds():
    def all_of(edit):
        yield edit.get("edit")
        for each in edit.get("edits", []):
            yield from all_of(each)

    return [kind for edit in edits() for kind in all_of(edit)]


def made(kind, count=1):
    return wait(f"{count} edit(s) '{kind}' in the journal, which has {kinds()}", lambda: kinds().count(kind) >= count and edits())


def frame_of(path):
    """The first frame of a saved scene."""
    out = os.path.join(FOLDER, "frame.png")
    run(CLI, "render", path, "--frames", "0-0", "--quality", "pinhole", "--size", "320x180", "--quiet", "-o", out)
    return pixels(out)


def find(command):
    """By the finder of commands."""
    key("ctrl+space")
    active("Find a command")
    type_text(command)
    time.sleep(0.3)
    key("Return")


def scene(path):
    with open(path, encoding="utf-8") as file:
        return json.load(file)


def start(*arguments):
    process = subprocess.Popen([PROGRAM, *arguments], env=env)
    window("Open Stage")
    wait("the window's size", area)
    return process


def ends(process, code=0):
    try:
        got = process.wait(PATIENCE)
    except subprocess.TimeoutExpired:
        raise Stuck(f"the program did not end; windows: {titles()}")
    expect(got == code, f"it ended with {got}")


def save_as(path):
    key("ctrl+s")
    active("Save the scene")
    key("ctrl+a")
    type_text(path)
    key("Return")
    wait(f"{path} to be written", lambda: os.path.exists(path))
    gone("Save the scene")


# ---- the walk

def walk():
    ora, photo, water = (os.path.join(FOLDER, n) for n in ("layers.ora", "photo.jpg", "water.mp4"))
    layered(ora)
    photograph(photo)
    clip(water)

    step("it opens whole on the screen")
    program = start()
    x, y, w, h = area()
    expect(x >= 0 and y >= 0 and x + w <= WIDTH and y + h <= HEIGHT, f"the window is at {area()} of {WIDTH}x{HEIGHT}")

    step("a layered picture is dropped: one dialog, which takes Enter")
    drop(ora)
    active("Bring in")
    time.sleep(2.5)  # longer than any dialog of progress would wait to show itself
    expect([t for t in titles() if "Looking" in t] == [], f"another dialog stands over it: {titles()}")
    key("Return")
    gone("Bring in")
    made("add")

    step("it is written as bright as it is")
    key("ctrl+r")
    active("Write a movie or pictures")
    key("Tab", "Tab")  # past what it is for
    type_text("PNG")
    key("Tab", "Tab", "Tab", "Tab", "Tab", "Tab")  # bits, rendering, size, the first frame
    type_text("0")
    key("Tab", "Tab", "Tab", "ctrl+a")  # loop, wipe
    frames = os.path.join(FOLDER, "flat")
    type_text(os.path.join(frames, "f.####.png"))
    key("Return")
    flat = os.path.join(frames, "f.0000.png")
    wait("the picture", lambda: os.path.exists(flat))
    gone("Writing")
    db = likeness(pixels(flat), pixels(ora + ".png"))
    expect(db > 38, f"the picture is {db:.1f} dB from what the file shows")

    step("a photograph is dropped and split")
    count = kinds().count("add")
    drop(photo)
    made("add", count + 1)
    key("ctrl+t")
    time.sleep(1.0)
    loop(CUT, 0.36, 0.53, 0.2, 0.25)
    key("Return")
    time.sleep(0.3)
    key("Return")
    made("split")

    step("cut out and back; keys go to the view")
    key("c")  # back to the Plan, whichever view had the keys
    time.sleep(0.4)
    key("End", "k")
    made("set-mark")
    key("c")
    time.sleep(0.8)
    loop(CUT, 0.5, 0.5, 0.25, 0.25)
    made("add-matte")
    key("c")
    time.sleep(0.4)

    step("push")
    key("alt+Page_Up")
    made("push")

    step("walk at the end, which changes the mark there")
    key("End", "w")
    drag([place(CAMERA, 0.5, 0.5), place(CAMERA, 0.62, 0.55)])
    made("set-mark", 2)

    step("a clip is dropped")
    count = kinds().count("add")
    drop(water)
    made("add", count + 1)

    step("it plays, and a mark is set where it stops")
    key("Home", "space")
    time.sleep(1.6)
    key("space")
    marks = kinds().count("set-mark")
    key("k")
    made("set-mark", marks + 1)

    step("it is saved")
    stage = os.path.join(FOLDER, "walk.ostage")
    save_as(stage)
    saved = scene(stage)
    names = [layer["name"] for layer in saved["layers"]]
    expect({"Sky", "Ball", "photo far", "photo near", "water"} <= set(names), f"layers {names}")
    times = [mark["time"] for mark in saved["camera"]["marks"]]
    expect(len(times) == 3, f"marks at {times}")
    pans = [mark["pan"] for mark in saved["camera"]["marks"]]
    expect(pans[0] == 0 and abs(pans[-1]) > 0.5, f"pans {pans}: the walk is not in the last mark")
    told = json.loads(run(CLI, "measure", stage, "--frame", "0").stdout)
    expect(len(told["layers"]) >= 5, "measure tells less layers than there are")

    step("the clip over black, snow, a cloud; all undone")
    find("Take as over black")
    active("Over black")
    time.sleep(0.5)
    key("Return")
    gone("Over black")
    made("over-black")
    find("Snow")
    made("add-particles")
    find("Cloud")
    made("add-cloud")
    others = [t for t in titles() if "Open Stage" not in t]
    expect(others == [], f"windows stand over it: {others}")
    without = frame_of(stage)
    key("ctrl+s")
    wait("the air in the file", lambda: {"Snow", "Cloud"} <= {layer["name"] for layer in scene(stage)["layers"]})
    water_now = next(layer for layer in scene(stage)["layers"] if layer["name"] == "water")
    expect(water_now.get("blend") == "add", f"the clip is mixed as {water_now.get('blend')}")
    db = likeness(without, frame_of(stage))
    expect(db < 40, f"at frame 0 there is no air: {db:.1f} dB from without")
    key("ctrl+z", "ctrl+z", "ctrl+z", "ctrl+s")
    wait("the scene as it was", lambda: scene(stage)["layers"] == saved["layers"])

    step("a lamp lights all layers, which throw shadows; all undone")
    find("Lamp")
    made("add-lamp")
    key("ctrl+a")
    find("Takes light")
    made("shading")
    find("Throws a shadow")
    made("several")
    key("ctrl+s")
    wait("the shadows in the file", lambda: any(layer.get("shadows") for layer in scene(stage)["layers"]))
    lit = scene(stage)["layers"]
    lamp = next(layer for layer in lit if layer["kind"] == "lamp")
    expect(all("shading" in layer for layer in lit if layer["kind"] in ("picture", "footage", "text")), "a layer takes no light")
    expect(all(layer["shadows"][0]["from"] == lamp["id"] for layer in lit if "shadows" in layer), "a shadow is of another lamp")
    db = likeness(without, frame_of(stage))
    expect(db < 40, f"at frame 0 the lamp shows nowhere: {db:.1f} dB from without")
    key("ctrl+z", "ctrl+z", "ctrl+z", "ctrl+s")
    wait("the scene as it was", lambda: scene(stage)["layers"] == saved["layers"])
    key("ctrl+a")  # what was selected is gone with its undoing

    step("a movie is written")
    key("ctrl+r")
    active("Write a movie or pictures")
    key("Escape")
    gone("Write a movie or pictures")
    key("ctrl+r")
    active("Write a movie or pictures")
    key("Tab", "Tab", "Tab", "Tab", "Tab", "Up")  # draft
    key("Tab", "Tab", "Tab", "Tab")
    type_text("11")
    key("Return")
    movie = os.path.join(FOLDER, "walk.mp4")
    wait("the movie", lambda: os.path.exists(movie))
    gone("Writing")
    told = run("ffprobe", "-v", "error", "-count_frames", "-show_entries", "stream=nb_read_frames", "-of", "csv=p=0", movie).stdout
    expect(told.strip().rstrip(",") == "12", f"the movie has {told.strip()} frames, not 12")

    step("quitting asks; Esc stays, discarding discards")
    key("alt+Page_Up")
    made("push", 1)
    before = open(stage, "rb").read()
    time.sleep(0.5)
    key("ctrl+q")
    answer("Unsaved changes", "Escape")
    gone("Unsaved changes")
    expect(program.poll() is None, "it ended")
    key("ctrl+q")
    answer("Unsaved changes", "Tab", "space")
    ends(program)
    expect(open(stage, "rb").read() == before, "what was discarded is in the file")
    expect(journals() == [], f"journals remain: {journals()}")

    step("killed with unsaved work, it offers to recover")
    program = start(stage)
    window("walk — Open Stage")
    time.sleep(0.6)
    key("ctrl+a", "alt+Page_Up")
    made("push")
    program.send_signal(signal.SIGKILL)
    program.wait()
    program = start(stage)
    answer("Recover work", "Return")
    gone("Recover work")
    window("walk — Open Stage")
    time.sleep(0.6)
    key("ctrl+s")
    wait("the recovered push to be saved", lambda: open(stage, "rb").read() != before)

    step("quitting with saving saves")
    before = open(stage, "rb").read()
    key("ctrl+a", "alt+Page_Up")
    made("push")
    key("ctrl+q")
    answer("Unsaved changes", "Return")
    ends(program)
    expect(open(stage, "rb").read() != before, "what was saved is not in the file")
    expect(json.loads(run(CLI, "info", stage).stdout), "it cannot be read again")
    step("asked to end from outside, it leaves nothing")
    program = start(stage)
    window("walk — Open Stage")
    time.sleep(0.6)
    program.send_signal(signal.SIGTERM)
    ends(program)
    expect(journals() == [], f"journals remain: {journals()}")

    step("unsaved work without a file waits while a file is opened, and is recovered after")
    program = start()
    key("ctrl+v")  # nothing to paste: nothing happens
    drop(photo)
    made("add")
    program.send_signal(signal.SIGKILL)
    program.wait()
    program = start(stage)
    window("walk — Open Stage")
    time.sleep(0.6)
    expect("Recover work — Open Stage" not in titles(), "it asks although a file was named")
    key("ctrl+q")
    ends(program)
    program = start()
    answer("Recover work", "Return")
    gone("Recover work")
    other = os.path.join(FOLDER, "recovered.ostage")
    save_as(other)
    expect([layer["name"] for layer in scene(other)["layers"]] == ["photo"], "the photograph is not recovered")
    key("ctrl+q")
    ends(program)
    step("done")


def open_screen():
    """A screen of its own with a window manager: both processes. Sets env."""
    global env
    read, written = os.pipe()
    server = subprocess.Popen(["Xvfb", "-displayfd", str(written), "-screen", "0", f"{WIDTH}x{HEIGHT}x24", "-nolisten", "tcp"],
                              pass_fds=[written], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    env["DISPLAY"] = ":" + os.read(read, 16).decode().strip()
    manager = subprocess.Popen(["openbox"], env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        wait("the window manager", lambda: "openbox" in run("wmctrl", "-m").stdout.lower(), 20)
        return manager, server
    except Stuck:
        print(f"no window manager on {env['DISPLAY']}: it has ended with {manager.poll()}, the screen with {server.poll()}")
        manager.kill()
        server.kill()
        return None


def main():
    global env, begun
    begun = time.time()
    home = os.path.join(FOLDER, "home")
    os.mkdir(home)
    os.mkdir(os.path.join(FOLDER, "run"), 0o700)
    env = {k: v for k, v in os.environ.items() if not k.startswith(("QT_", "XDG_"))}
    env.update(HOME=home, XDG_RUNTIME_DIR=os.path.join(FOLDER, "run"), QT_QPA_PLATFORM="xcb", QT_SCALE_FACTOR=str(SCALE))
    # Of two screens that begin at the same moment, one may stay without.
    screen = open_screen() or open_screen()
    try:
        expect(screen, "no screen")
        walk()
        return 0
    except Stuck as problem:
        print(f"STUCK: {problem}", flush=True)
        shot = os.path.join(os.getcwd(), f"walk-{SCREEN}.png")
        subprocess.run(["ffmpeg", "-v", "error", "-y", "-f", "x11grab", "-video_size", f"{WIDTH}x{HEIGHT}", "-i", env["DISPLAY"],
                        "-frames:v", "1", shot])
        print(f"windows: {titles()}; a picture of the screen: {shot}", flush=True)
        return 1
    finally:
        for process in screen or ():
            process.kill()
        subprocess.run(["pkill", "-9", "-f", FOLDER])
        shutil.rmtree(FOLDER, ignore_errors=True)


if __name__ == "__main__":
    sys.exit(main())
