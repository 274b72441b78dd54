"""The core's registry of channels and figures, for whoever draws or tells them."""

from apiflask import APIBlueprint

from lauftakt.core.registry import CHANNELS, DERIVED, FIGURES
from lauftakt.web import schemas
from lauftakt.web.access import only
from lauftakt.web.policy import Viewer

blueprint = APIBlueprint("registry", __name__, tag="Registry")


@blueprint.get("/registry")
@only("see")
@blueprint.output(schemas.RegistryOut)
def get_registry(viewer: Viewer) -> schemas.RegistryOut:
    """Every channel and figure: what it measures, its label, how it is drawn and which value is told of it."""
    return schemas.RegistryOut(
        channels=[
            schemas.ChannelEntryOut(
                code=entry.code,
                label=entry.label,
                quantity=entry.quantity,
                drawn=entry.drawn,  # type: ignore[arg-type]
                told=entry.told,  # type: ignore[arg-type]
            )
            for entry in (*CHANNELS.values(), *DERIVED.values())
        ],
        figures=[
            schemas.FigureEntryOut(
                code=entry.code,
                label=entry.label,
                quantity=entry.quantity,
                good=entry.good,  # type: ignore[arg-type]
                about=entry.about,  # type: ignore[arg-type]
            )
            for entry in FIGURES.values()
        ],
    )
