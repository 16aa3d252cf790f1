"""How the article of a review is made: what of it is the reviewer's own besides his words."""

from __future__ import annotations

from ulterion.core.documents.fields import Field
from ulterion.core.documents.written import Written
from ulterion.model.quantities import Size


class ReportSettings(Written):
    """How the article is made: what of it is the reviewer's own besides his words."""

    accent: str = Field(default="#1f4e79", pattern=r"^#[0-9a-fA-F]{6}$", description="colour of headings and links")
    logo: str | None = Field(default=None, min_length=1, description="a PNG, JPEG or SVG in the review folder")
    against: str | None = Field(
        default=None,
        min_length=1,
        description="the setup that others of its medium are compared with, in place of the baseline",
    )
    titles: dict[str, str] = Field(
        default={}, description="titles of figures, by the figure's name, in place of the findings"
    )
    font: str | None = Field(
        default=None,
        pattern=r"^[A-Za-z0-9 ,'-]{1,200}$",
        description='fonts of the page, the first that a reader has: "Georgia, serif"',
    )
    order: list[str] = Field(
        default=[], description='sections that come first and unfolded, by name: ["claims", "soaks"]'
    )
    without: list[str] = Field(default=[], description="sections and chapters that are left out, by name")
    address: str = Field(
        default="",
        pattern=r"^(https?://[^\s\"<>]{1,300}/)?$",
        description="the folder on the web that the page will lie in, so that its picture is found where it is shared",
    )
    work: Size = Field(default=200 * 10**9, gt=0, description="the size whose times are shown")
