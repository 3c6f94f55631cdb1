"""Options that several commands have."""

from pathlib import Path
from typing import Annotated, Literal

import typer

from zero_easel.settings import available_cores, fitting_jobs

Jobs = Annotated[int, typer.Option(min=1, max=256, help="Photos worked on at once.")]
Port = Annotated[int, typer.Option(min=0, max=65535, help="Port on 127.0.0.1; the next free one if it is taken.")]
Data = Annotated[Path | None, typer.Option(help="Folder for everything the application keeps.")]
Empty = Annotated[list[Path] | None, typer.Option("--empty", help="Photo of the bare backdrop; may be given again.")]
Columns = Annotated[
    list[str] | None,
    typer.Option(
        "--column", metavar="FIELD=HEADING", help='What a column holds, like code="Art. code"; once for each.'
    ),
]
NoCards = Annotated[bool, typer.Option("--no-cards", help="No code cards are among the photos.")]
PicturesCount = Annotated[
    bool,
    typer.Option("--pictures-count", help="Of a raw file and the picture beside it, the picture is the photo."),
]
Target = Annotated[
    Path | None, typer.Option(help="Photo of the colour target of 24 patches, to which all colours are brought.")
]
Grey = Annotated[
    Path | None, typer.Option(help="Photo of a grey card in the shoot's light, which becomes neutral in all photos.")
]
Lens = Annotated[
    str,
    typer.Option(
        metavar="known|PERCENT",
        help="Make straight what lenses bent: by each lens's data, or by the % that photos' corners were moved.",
    ),
]
Rectangles = Annotated[
    list[Path] | None,
    typer.Option("--rectangle", help="Photo whose item has four straight sides, to be seen from in front; once each."),
]
AsJson = Annotated[bool, typer.Option("--json", help="One JSON object a line.")]
Scheduler = Annotated[
    str,
    typer.Option(metavar="ADDRESS", help="Dask scheduler whose workers see both folders, like tcp://host:8786."),
]
EngineKind = Literal["local", "dask"]
CORES, FITTING = available_cores(), fitting_jobs()
