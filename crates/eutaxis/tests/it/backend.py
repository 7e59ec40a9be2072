"""A build system that lies in the tree itself (PEP 517 and 660): what it needs stands in pyproject.toml."""
import base64
import hashlib
import os
import re
import zipfile


def stated(key):
    with open("pyproject.toml") as file:
        found = re.search(r'^%s = "(.*)"$' % key, file.read(), re.M)
    return found and found.group(1)


def version():
    if stated("version"):
        return stated("version")
    with open("VERSION") as file:
        return file.read().strip()


def needs():
    with open("pyproject.toml") as file:
        found = re.search(r"^dependencies = \[(.*?)\]", file.read(), re.M | re.S)
    return re.findall(r'"([^"]*)"', found.group(1)) if found else []


def stem():
    return "%s-%s" % (stated("name").replace("-", "_"), version())


def metadata():
    lines = ["Metadata-Version: 2.1", "Name: " + stated("name"), "Version: " + version()]
    return "\n".join(lines + ["Requires-Dist: " + need for need in needs()]) + "\n"


def written(folder, members):
    name = stem() + "-py3-none-any.whl"
    info = stem() + ".dist-info/"
    members = members + [
        (info + "METADATA", metadata()),
        (info + "WHEEL", "Wheel-Version: 1.0\nGenerator: tree\nRoot-Is-Purelib: true\nTag: py3-none-any\n"),
        (info + "entry_points.txt", "[console_scripts]\n%s = %s:main\n" % (stated("name"), package())),
    ]
    record = []
    with zipfile.ZipFile(os.path.join(folder, name), "w") as wheel:
        for path, text in members:
            data = text.encode()
            digest = base64.urlsafe_b64encode(hashlib.sha256(data).digest()).rstrip(b"=").decode()
            record.append("%s,sha256=%s,%d" % (path, digest, len(data)))
            wheel.writestr(path, data)
        wheel.writestr(info + "RECORD", "\n".join(record + [info + "RECORD,,"]) + "\n")
    return name


def package():
    return stated("name").replace("-", "_")


def modules():
    found = []
    for folder, _, names in os.walk(package()):
        for name in sorted(names):
            path = os.path.join(folder, name)
            if name.endswith(".py"):
                with open(path) as file:
                    found.append((path, file.read()))
    return found


def prepare_metadata_for_build_wheel(folder, settings=None):
    info = stem() + ".dist-info"
    os.makedirs(os.path.join(folder, info))
    with open(os.path.join(folder, info, "METADATA"), "w") as out:
        out.write(metadata())
    return info


def build_wheel(folder, settings=None, metadata=None):
    return written(folder, modules())


def build_editable(folder, settings=None, metadata=None):
    # Build systems leave notes of their own in the tree.
    os.makedirs("%s.notes" % package(), exist_ok=True)
    with open("%s.notes/built" % package(), "w") as out:
        out.write(version())
    return written(folder, [("_%s.pth" % package(), os.getcwd() + "\n")])
