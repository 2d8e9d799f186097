"""One tree for everything that can't be: a sentence for the gardener, and where it was typed."""


class EprobaError(ValueError):
    """Something that can't be. The message says what would fit.

    `facts` are the amounts (and what was typed) that stand in the message as {}: `quantities.told` tells them as a
    household has them. `field` names what was typed wrong, `step` the step of a plan in which it is put right; empty:
    the whole.
    """

    step: str = ""

    def __init__(self, message: str, *facts: object, field: str = "", step: str = "") -> None:
        super().__init__(message.format(*facts) if facts else message)
        self.message, self.facts = message, facts
        self.field = field
        self.step = step or type(self).step
