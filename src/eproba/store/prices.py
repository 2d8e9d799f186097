"""What of a garden may have a price: what its trials brewed, bought and picked."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from sqlmodel import Session, col, select

from eproba.core.trial.doses import LITRES
from eproba.store.tables import BatchRow, TreatmentRow, TrialRow


@dataclass(frozen=True)
class Priceable:
    """Recipes by key; what is bought ready for use, with the unit of its price; crops."""

    recipes: tuple[str, ...]
    bought: tuple[tuple[str, str], ...]
    crops: tuple[str, ...]


def priceable(session: Session) -> Priceable:
    """Everything that a trial or a batch of this garden asked for, each once."""
    treatments = session.exec(select(TreatmentRow).where(col(TreatmentRow.amount).is_not(None))).all()
    brewed = {treatment.recipe for treatment in treatments if treatment.recipe}
    brewed |= set(session.exec(select(BatchRow.recipe).distinct()))
    ready = {
        " ".join(treatment.name.split()).casefold(): (treatment.name, _price_unit(treatment.amount_unit))
        for treatment in treatments
        if not treatment.recipe and treatment.role not in ("water control", "untreated")
    }
    crops = {crop for rules in session.exec(select(TrialRow.rules)) for crop in _crops(rules)}
    return Priceable(tuple(sorted(brewed)), tuple(ready[name] for name in sorted(ready)), tuple(sorted(crops)))


def _price_unit(amount_unit: str) -> str:
    """What a price is for: a litre of what is poured, a kilogram of what is weighed, else a piece."""
    if amount_unit in LITRES:
        return "L"
    return "kg" if amount_unit in ("g", "kg") else amount_unit


def _crops(rules: Mapping[str, Any]) -> Iterable[str]:
    crops = rules.get("crops")
    return (str(crop) for crop in crops) if isinstance(crops, list | tuple) else ()
