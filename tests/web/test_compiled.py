"""Templates compiled once: workers read them, without the right to write."""

from eproba.web import compiled
from eproba.web.app import create_app
from eproba.web.settings import Settings


def an_app(monkeypatch):
    app = create_app(Settings("postgresql://nowhere", secret_key="for tests only"))
    monkeypatch.setattr(app.jinja_env, "list_templates", lambda: ["base.html", "ui/parts.html"])
    return app


def test_workers_read_what_was_compiled_and_write_nothing(tmp_path, monkeypatch):
    monkeypatch.setattr(compiled, "FOLDER", tmp_path / "templates")
    assert an_app(monkeypatch).jinja_env.bytecode_cache is None, "nothing was compiled yet: each app does so itself"
    compiled.compile_all(an_app(monkeypatch))
    files = sorted((tmp_path / "templates").iterdir())
    assert len(files) == 2
    assert all(file.stat().st_mode & 0o044 == 0o044 for file in files), "another account may read them"
    worker, asked = an_app(monkeypatch), []
    compile_one = worker.jinja_env.compile
    monkeypatch.setattr(worker.jinja_env, "compile", lambda *told: (asked.append(told[1]), compile_one(*told))[1])
    compiled.load_all(worker)
    assert asked == []
    for file in files:
        file.unlink()
    worker.jinja_env.cache.clear()
    compiled.load_all(worker)
    assert asked == ["base.html", "ui/parts.html"]
    assert list((tmp_path / "templates").iterdir()) == [], "nothing is written while the app runs"
