"""Writes accelerator-cases.toml: builds against places, with what must come of it, computed here from accelerators.toml
alone, apart from the program.

    python3 knowledge/accelerator-cases.py
"""

import itertools
import pathlib
import tomllib

HERE = pathlib.Path(__file__).parent
FAMILIES = {f["name"]: f for f in tomllib.loads((HERE / "accelerators.toml").read_text())["family"]}


def number(text):
    return tuple(int(p) for p in text.split("."))


def padded(a, b):
    length = max(len(a), len(b))
    return a + (0,) * (length - len(a)), b + (0,) * (length - len(b))


def at_least(a, b):
    a, b = padded(number(a), number(b))
    return a >= b


def within(a, b):
    return number(a)[: len(number(b))] == number(b)


def drivers_told(family, system):
    return any(system in t for t in family["toolkit"])


def lowest(family, toolkit, system):
    """The lowest driver for a toolkit: its own line, else that of the next newer one."""
    own = [t for t in family["toolkit"] if within(t["version"], toolkit)]
    newer = [t for t in family["toolkit"] if at_least(t["version"], toolkit)]
    for lines in (own, newer):
        if lines:
            return min(lines, key=lambda t: number(t["version"])).get(system)
    return None


def series(family, toolkit, system):
    floors = [s for s in family.get("series", []) if s["major"] == number(toolkit)[0]]
    return floors[0].get(system) if floors else None


def highest(family, driver, system):
    runs = [t["version"] for t in family["toolkit"] if system in t and at_least(driver, t[system])]
    return max(runs, key=number, default=None)


def verdict(kind, needs, toolkit, here, driver, device, system):
    """Verdict, part of the reason, and the toolkit since which an unserved device is served."""
    if here is None:
        # What only its metadata tell runs on the processor.
        return ("ready", "", "") if kind == "needs" else ("barred", "this target has no accelerator", "")
    if here != needs:
        return "barred", f"built for {needs} {toolkit}; this target has {here}", ""
    family = FAMILIES[needs]
    if driver and drivers_told(family, system):
        floors = [f for f in (lowest(family, toolkit, system), series(family, toolkit, system)) if f]
        if not any(at_least(driver, f) for f in floors):
            most = highest(family, driver, system)
            told = f"up to {most}" if most else "no toolkit that is known"
            return "barred", f"driver {driver} runs {told}", ""
    line = next((d for d in family.get("device", []) if d["name"] == device), None)
    if line:
        last = line.get("last")
        if last and not within(last, toolkit) and not at_least(last, toolkit) and not within(toolkit, last):
            return "barred", f"does not serve device {device} (last served by {last})", ""
        first = line["first"]
        if not at_least(toolkit, first) and not within(first, toolkit):
            return "ready", "", first
    return "ready", "", ""


# How each build says what it is for: the name of its file, and its metadata.
BUILDS = [
    ("label", "cuda", "11.7", "2.0+cu117", ""),
    ("label", "cuda", "11.8", "2.0+cu118.post2", ""),
    ("label", "cuda", "12.1", "2.0+cu121", ""),
    ("label", "cuda", "12.8", "2.0+cu128", ""),
    ("label", "rocm", "6.0", "2.0+rocm6.0", ""),
    ("label", "rocm", "6.4", "2.0+rocm6.4", ""),
    ("needs", "cuda", "12.4", "2.0", "nvidia-cuda-runtime-cu12==12.4.127"),
    ("needs", "cuda", "11.7", "2.0", "nvidia-cuda-runtime-cu11==11.7.99"),
    ("needs", "cuda", "12", "2.0", "nvidia-cuda-runtime-cu12"),
    ("needs", "cuda", "13.0", "2.0", "cuda-toolkit==13.0.2"),
    ("stated", "cuda", "12.6", "2.0", ""),
]
PLACES = [
    ("linux", None, None, None),
    ("linux", "cuda", "450.51.06", "7.0"),
    ("linux", "cuda", "450.80.02", "8.0"),
    ("linux", "cuda", "525.60.13", "8.6"),
    ("linux", "cuda", "550.54.14", "12.0"),
    ("linux", "cuda", "580.65.06", "6.1"),
    ("linux", "cuda", "570.26", "12.0"),
    ("linux", "rocm", "6.10", "gfx1201"),
    ("windows", "cuda", "528.33", "9.0"),
    ("windows", "cuda", "452.39", "3.7"),
]


def main():
    lines = [
        "# Builds against places, with what must come of it. Written by accelerator-cases.py from accelerators.toml; read by",
        "# crates/eutaxis-choice/tests/accelerators.rs.",
    ]
    for build, place in itertools.product(BUILDS, PLACES):
        kind, family, toolkit, version, need = build
        system, here, driver, device = place
        word, reason, since = verdict(kind, family, toolkit, here, driver, device, system)
        platform = {"linux": "linux x86_64 glibc 2.35", "windows": "windows x86_64"}[system]
        target = f"3.12 / {platform}" + (f" / {here} driver {driver} device {device}" if here else "")
        lines += ["", "[[case]]", f'version = "{version}"']
        lines += [f'needs = "{need}"'] * bool(need) + [f'stated = "{family} {toolkit}"'] * (kind == "stated")
        lines += [f'target = "{target}"', f'verdict = "{word}"']
        lines += [f'reason = "{reason}"'] * bool(reason) + [f'unserved_since = "{since}"'] * bool(since)
    (HERE / "accelerator-cases.toml").write_text("\n".join(lines) + "\n")


main()
