"""One tree for everything that can't be: a sentence for the gardener, and where it was typed."""


class EprobaError(ValueError):
    """Something that can't be. The message says what would fit.

    `field` names what was typed wrong, `step` the step of a plan in which it is put right; empty: the whole.
    """

    step: str = ""

    def __init__(self, message: str, *, field: str = "", step: str = "") -> None:
        super().__init__(message)
        self.field = field
        self.step = step or type(self).step
