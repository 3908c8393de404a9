"""What endpoints take and give."""

from pydantic import BaseModel, ConfigDict


class Schema(BaseModel):
    """Not the one that the API's library brings: that wraps each object to look for attributes, and a list of fifty
    rows spent a fifth of its time there."""

    model_config = ConfigDict(from_attributes=True)
