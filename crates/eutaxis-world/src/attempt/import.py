# Imports one module, or, for the name "+", those of its input one after the other; the file that is named second tells how it
# went, so that a module that ends the process is told apart from one that ends well. The syntax is common to Python 2.7 and 3.
import os, sys

name, told, memory = sys.argv[1], sys.argv[2], int(sys.argv[3])
sys.argv = [""]
try:
    import resource
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    limit = getattr(resource, "RLIMIT_DATA", resource.RLIMIT_AS)
    hard = resource.getrlimit(limit)[1]
    resource.setrlimit(limit, (memory if hard < 0 else min(memory, hard), hard))
except Exception:
    pass


def tell(text):
    with open(told, "w") as out:
        out.write(text)


def each(names, seconds):
    # A line before and one after each: what has none after it ended the process.
    out = os.open(told, os.O_WRONLY | os.O_CREAT | os.O_APPEND)
    me = os.getpid()
    for module in names:
        os.write(out, ("+%s\n" % module).encode())
        try:
            # What hangs ends the process, by the signal's own way.
            import signal
            signal.signal(signal.SIGALRM, signal.SIG_DFL)
            signal.alarm(seconds)
        except Exception:
            pass
        try:
            __import__(module)
        except BaseException:
            import traceback
            lines = ["-\n"] + [" %s\n" % line[:2000] for line in traceback.format_exc().splitlines()[-100:]]
            ended = "".join(lines)
            if not isinstance(ended, bytes):
                ended = ended.encode("utf-8", "replace")
        else:
            ended = b"=\n"
        if os.getpid() != me:
            # A module has split the process: one of them goes on.
            os._exit(0)
        try:
            os.write(out, ended)
        except OSError:
            # A module has closed what is not its own.
            break
    os._exit(0)


try:
    if name == "+":
        words = sys.stdin.read().split()
        each(words[1:], int(words[0]))
    if name == "-":
        exec(compile(sys.stdin.read(), "<trial>", "exec"), {"__name__": "__main__"})
    else:
        __import__(name)
except SystemExit as end:
    code = end.code if isinstance(end.code, int) else (0 if end.code is None else 1)
    if code and not isinstance(end.code, int):
        sys.stderr.write("%s\n" % end.code)
    tell("well" if name == "-" and code == 0 else "exited %d" % code)
except BaseException:
    import traceback
    traceback.print_exc()
    tell("raised")
else:
    tell("well")
for stream in (sys.stdout, sys.stderr):
    try:
        stream.flush()
    except Exception:
        pass
# Threads that the module left do not keep the answer.
os._exit(0)
