"""Runs the start script and kills it, as by kill -9, before its n-th step: `killing.py N COMMAND …`.

A step is whatever changes something outside the process: a file opened to write, renamed, removed, a mode, a program
started. Exit status 0 or 1: the command came to its end before it had made so many steps.
"""

import os
import signal
import sys
from pathlib import Path

STEPS = {"os.rename", "os.mkdir", "os.remove", "os.rmdir", "os.chmod", "os.chown", "os.truncate", "subprocess.Popen"}
left = int(sys.argv[1])


def watch(event, arguments):
    global left
    writes = event == "open" and isinstance(arguments[2], int) and arguments[2] & (os.O_WRONLY | os.O_RDWR)
    if (event in STEPS or writes) and "__pycache__" not in str(arguments[0]):
        left -= 1
        if left == 0:
            os.kill(os.getpid(), signal.SIGKILL)


sys.path[0] = str(Path(__file__).parents[2] / "src")
from eproba.start.commands import main  # noqa: E402

sys.addaudithook(watch)
sys.exit(main(sys.argv[2:]))
