"""Builds wheels of plain packages, and of C modules by the compiler that is here (PEP 517)."""
import base64
import hashlib
import os
import subprocess
import sys
import sysconfig
import zipfile

EPOCH = (1980, 1, 1, 0, 0, 0)


def fields():
    """The fields of PKG-INFO, as text and by name."""
    with open("PKG-INFO", encoding="utf-8") as file:
        text = file.read()
    pairs = [line.split(": ", 1) for line in text.splitlines() if ": " in line]
    return text, dict(reversed(pairs))


def stem():
    found = fields()[1]
    return "%s-%s" % (found["Name"].replace("-", "_"), found["Version"])


def compiled(folder, name):
    """The bytes of a C module, and its file name for this interpreter."""
    made = os.path.join(os.environ.get("TMPDIR", "."), name + sysconfig.get_config_var("EXT_SUFFIX"))
    include = sysconfig.get_path("include")
    command = [os.environ.get("CC", "cc"), "-shared", "-fPIC", "-O2", "-I" + include, os.path.join(folder, name + ".c"), "-o", made]
    print(" ".join(command))
    subprocess.run(command, check=True)
    with open(made, "rb") as file:
        return os.path.basename(made), file.read()


def members():
    """What goes into the wheel: path and bytes; and whether some of it was compiled."""
    found, native = [], False
    for folder in sorted(os.listdir(".")):
        if not os.path.exists(os.path.join(folder, "__init__.py")):
            continue
        for name in sorted(os.listdir(folder)):
            path = os.path.join(folder, name)
            if name.endswith(".c"):
                name, data = compiled(folder, name[:-2])
                native = True
            elif os.path.isfile(path):
                with open(path, "rb") as file:
                    data = file.read()
            else:
                continue
            found.append(("%s/%s" % (folder, name), data))
    return found, native


def tag(native):
    if not native:
        return "py3-none-any"
    series = "cp%d%d" % sys.version_info[:2]
    platform = sysconfig.get_platform().replace("-", "_").replace(".", "_")
    return "%s-%s-%s" % (series, series + getattr(sys, "abiflags", ""), platform)


def metadata():
    """METADATA of the wheel; whoever needs more than PKG-INFO says changes this."""
    return fields()[0]


def get_requires_for_build_wheel(config_settings=None):
    return []


def prepare_metadata_for_build_wheel(metadata_directory, config_settings=None):
    name = stem() + ".dist-info"
    os.mkdir(os.path.join(metadata_directory, name))
    with open(os.path.join(metadata_directory, name, "METADATA"), "w", encoding="utf-8") as file:
        file.write(metadata())
    return name


def build_wheel(wheel_directory, config_settings=None, metadata_directory=None):
    found, native = members()
    info = stem() + ".dist-info/"
    found.append((info + "METADATA", metadata().encode()))
    pure = "false" if native else "true"
    text = "Wheel-Version: 1.0\nGenerator: cairnbuild\nRoot-Is-Purelib: %s\nTag: %s\n" % (pure, tag(native))
    found.append((info + "WHEEL", text.encode()))
    record = ""
    for path, data in found:
        digest = base64.urlsafe_b64encode(hashlib.sha256(data).digest()).rstrip(b"=").decode()
        record += "%s,sha256=%s,%d\n" % (path, digest, len(data))
    found.append((info + "RECORD", (record + info + "RECORD,,\n").encode()))
    name = "%s-%s.whl" % (stem(), tag(native))
    with zipfile.ZipFile(os.path.join(wheel_directory, name), "w", zipfile.ZIP_DEFLATED) as wheel:
        for path, data in found:
            member = zipfile.ZipInfo(path, EPOCH)
            member.external_attr = 0o100644 << 16
            wheel.writestr(member, data)
    return name
