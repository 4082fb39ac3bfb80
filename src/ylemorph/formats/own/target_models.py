"""A target as it is sent: a survey, or a size alone."""

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Discriminator, Field, Tag

from ...core.errors import BadOption, YlemorphError
from ...core.job.state import SizedTarget
from .survey import SurveyModel
from .targets import target_from_text
from .wire import SHAPES_TOLD_APART

SIZE, SURVEY = SHAPES_TOLD_APART


class SizedTargetModel(BaseModel):
    """A disk that is not there yet: ``480GB`` (rule 1.3) and its logical sector."""

    model_config = ConfigDict(strict=True, extra="forbid", frozen=True)

    nominal: Annotated[str, Field(max_length=200)]
    logical_sector_bytes: int = 512

    def to_core(self) -> SizedTarget:
        """Raises BadOption for a text that is no size, or a sector that no disk has."""
        if self.logical_sector_bytes not in (512, 4096):
            raise BadOption("this is no sector size", at="logical_sector_bytes", mend="use 512 or 4096")
        try:
            return SizedTarget(self.nominal.strip(), target_from_text(self.nominal, self.logical_sector_bytes))
        except YlemorphError as error:
            raise BadOption(error.problem, at="nominal", mend=error.mend) from None


def _which(sent: Any) -> str:
    """Told apart by the one field that only a size has, so that an error speaks of the one that was meant."""
    is_size = "nominal" in sent if isinstance(sent, dict) else isinstance(sent, SizedTargetModel)
    return SIZE if is_size else SURVEY


TargetModel = Annotated[
    Annotated[SizedTargetModel, Tag(SIZE)] | Annotated[SurveyModel, Tag(SURVEY)], Discriminator(_which)
]
