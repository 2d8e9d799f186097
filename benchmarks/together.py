"""p50 and p95 of one page that puts 200 trials of one question together, in milliseconds on the server."""

from datetime import UTC, datetime

from sqlalchemy import text
from sqlmodel import Session, col, delete, select

from benchmarks.pages import figures, garden
from eproba.store.database import engine_for
from eproba.store.tables import FindingRow
from eproba.store.together import questions_asked
from eproba.web.app import create_app
from eproba.web.settings import Settings

WANTED = 200


def just_so_many(session: Session) -> str:
    """Keep 200 trials that count (their lots were dealt late, as the garden is made all at once); their question."""
    every = session.exec(select(FindingRow).order_by(col(FindingRow.trial_id))).all()
    for row in every[:WANTED]:
        row.answers = [{**each, "verdict": "cannot_tell", "held": ""} for each in row.answers]
        row.answers = [{**each, "fingerprint": f"{row.trial_id}"} for each in row.answers]
        session.add(row)
    session.exec(delete(FindingRow).where(col(FindingRow.trial_id).in_([row.trial_id for row in every[WANTED:]])))
    session.commit()
    session.connection().execute(text("ANALYZE"))
    session.commit()
    return questions_asked(session)[0].question


def main() -> None:
    with garden(2 * WANTED, 2) as (url, readings):
        engine = engine_for(url)
        with Session(engine) as session:
            question = just_so_many(session)
            trials = questions_asked(session)[0].trials
        engine.dispose()
        app = create_app(Settings(url), lambda: datetime(2026, 5, 20, 12, tzinfo=UTC))
        client = app.test_client()
        shown = client.get(f"/together/{question}", base_url="http://localhost").get_data(as_text=True)
        assert f"over {WANTED} trials" in shown, "all of them count"
        print(f"{trials} trials of one question, {readings} readings beside them; milliseconds on the server")
        print(f"{'page':34}{'first':>8}{'p50':>8}{'p95':>8}")
        for page in ("/together", f"/together/{question}"):
            first, p50, p95 = figures(client, page)
            print(f"{page:34}{first:8.1f}{p50:8.1f}{p95:8.1f}")
        app.extensions["engine"].dispose()


if __name__ == "__main__":
    main()
