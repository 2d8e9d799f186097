"""Templates compiled beside the packages, once for each state of the source, so that no worker has to.

The app's own account may read them, and not write there.
"""

import sys
from pathlib import Path

from flask import Flask
from jinja2 import FileSystemBytecodeCache
from jinja2.bccache import Bucket

FOLDER = Path(sys.prefix) / "eproba-templates"


class Compiled(FileSystemBytecodeCache):
    """Reads what was compiled, and compiles for itself what was not."""

    def dump_bytecode(self, bucket: Bucket) -> None:
        """Nothing is written while the app runs."""


def read_compiled(app: Flask) -> None:
    """Take the compiled templates where there are any; one whose source has changed is not taken."""
    if FOLDER.is_dir():
        app.jinja_env.bytecode_cache = Compiled(str(FOLDER))


def load_all(app: Flask) -> None:
    for name in app.jinja_env.list_templates():
        app.jinja_env.get_template(name)


def compile_all(app: Flask) -> None:
    """Compile every template anew."""
    FOLDER.mkdir(exist_ok=True)
    kept = FileSystemBytecodeCache(str(FOLDER))
    kept.clear()
    app.jinja_env.bytecode_cache = kept
    load_all(app)
    for file in FOLDER.iterdir():
        file.chmod(0o644)
