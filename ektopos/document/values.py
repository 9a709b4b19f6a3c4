"""What all parts of a document share."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from ektopos.base.names import LONGEST_GIVEN


class DocumentModel(BaseModel):
    """A part of a document; fields that it does not know are kept."""

    model_config = ConfigDict(extra="allow", populate_by_name=True, defer_build=True)


ShortName = Annotated[str, Field(max_length=LONGEST_GIVEN)]
Finite = Annotated[float, Field(allow_inf_nan=False)]
Triple = tuple[Finite, Finite, Finite]
Pair = tuple[Finite, Finite]
