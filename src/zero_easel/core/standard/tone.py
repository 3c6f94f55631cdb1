"""The rules for light and colour, which hold for items as placing does, by category and view."""

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from zero_easel.core.standard.rule import Part, Rule, Sentence


class Light(Part):
    """What becomes of the light in a photo. Amounts are small and deliberate: 0 changes nothing."""

    white: Annotated[
        Literal["as-shot", "backdrop", "given"],
        Rule(
            "white",
            "as-shot; backdrop: what fell on the backdrop counts as white light; given: light of a temperature does",
            "Measured beside each item, outside its shadow; the item itself has no say. A coloured backdrop is left as "
            "it is, and named. Adaptation by Bradford's cones",
            ask="What is white",
            choices={"as-shot": "as the camera took it", "backdrop": "what the backdrop shows", "given": "light"},
        ),
    ] = "as-shot"
    temperature: Annotated[
        float,
        Field(ge=1700, le=25000),
        Rule(
            "temperature",
            "K, of the light that is to be white",
            "A raw file says which light its camera balanced away; other photos are taken to be balanced to 6504 K",
            unit="K",
            ask="Temperature of the light in K",
            width=4,
        ),
    ] = 6504
    tint: Annotated[
        float,
        Field(ge=-50, le=50),
        Rule(
            "tint",
            "thousandths of CIE 1960 v by which that light is greener; minus for more magenta",
            ask="How much greener the light is",
            width=3,
        ),
    ] = 0
    exposure: Annotated[
        Literal["as-shot", "backdrop"],
        Rule(
            "exposure",
            "as-shot, or backdrop: all backdrops are brought to one light",
            "`backdrop_light` says to which",
            ask="How photos are exposed",
            choices={"as-shot": "as the camera took it", "backdrop": "so that all backdrops are alike"},
        ),
    ] = "as-shot"
    backdrop_light: Annotated[
        float,
        Field(ge=0, le=100),
        Rule(
            "light of the backdrop",
            "% of full light; 0 for the shoot's middle backdrop",
            empty="the shoot's middle",
            ask="Light of the backdrop in per cent; or the shoot's middle",
            width=3,
        ),
    ] = 0
    balance: Annotated[
        Literal["photo", "shoot"],
        Rule(
            "white and exposure for",
            "photo: each by its own backdrop; shoot: one for all, from the middle one",
            "For the shoot, photos whose backdrop is far from the others' are named",
            ask="What shares one white and exposure",
            choices={"photo": "each photo by itself", "shoot": "the whole shoot"},
        ),
    ] = "photo"
    falloff: Annotated[
        Literal["as-shot", "even"],
        Rule(
            "falloff",
            "as-shot, or even: what the lens takes from the photo's corners is given back",
            "Measured on the backdrop; slopes and bends of it are the room's, and stay",
            ask="Light towards the photo's corners",
            choices={"as-shot": "falls off as the lens has it", "even": "is evened by the backdrop"},
        ),
    ] = "as-shot"
    brightness: Annotated[
        float,
        Field(ge=-3, le=3),
        Rule("brightness", "stops; 1 doubles the light", unit="stops", ask="Brightness in stops", width=3),
    ] = 0
    warmth: Annotated[
        float,
        Field(ge=-100, le=100),
        Rule(
            "warmth",
            "mired that white becomes warmer by; minus for cooler",
            unit="mired",
            ask="Warmth in mired",
            width=3,
        ),
    ] = 0
    saturation: Annotated[
        float,
        Field(ge=-100, le=100),
        Rule("saturation", "% stronger; -100 is grey", unit="%", ask="Saturation in per cent", width=3),
    ] = 0

    contrast: Annotated[
        float,
        Field(ge=-100, le=100),
        Rule("contrast", "% more in the middle; black and white stay", unit="%", ask="Contrast in per cent", width=3),
    ] = 0
    shadows: Annotated[
        float,
        Field(ge=-100, le=100),
        Rule("shadows", "% lighter dark parts; black stays", unit="%", ask="Lighter shadows in per cent", width=3),
    ] = 0
    noise: Annotated[
        float,
        Field(ge=0, le=100),
        Rule(
            "noise",
            "% of the noise that is taken away",
            "Its strength is measured on the bare backdrop of each photo; detail that exceeds it stays",
            unit="%",
            ask="Noise taken away, in per cent",
            width=3,
        ),
    ] = 0
    sharpening: Annotated[
        float,
        Field(ge=0, le=100),
        Rule(
            "sharpening",
            "% of what a fine blur takes away, added after the one resampling",
            "Of the item alone, so that its cut edge gets no rim",
            unit="%",
            ask="Sharpening in per cent",
            width=3,
        ),
    ] = 0

    corners: Annotated[
        float,
        Field(ge=0, le=100),
        Rule(
            "darker corners",
            "% of light that the canvas's corners lose, softly from the middle",
            unit="%",
            ask="Darker corners in per cent",
            width=3,
        ),
    ] = 0

    sentences: ClassVar[tuple[Sentence, ...]] = (
        Sentence(
            "White is {white}[white=given: of {temperature} K, by {tint} greener], and "
            "photos are exposed {exposure}[exposure=backdrop:, at {backdrop_light}"
            "[backdrop_light!=the shoot's middle: % of full light]]. What the backdrop shows is measured for {balance}."
            " Light towards the photo's corners {falloff}."
        ),
        Sentence(
            "Pictures are made brighter by {brightness} stops and warmer by {warmth} mired, and colours stronger by "
            "{saturation}, contrast by {contrast} and shadows lighter by {shadows}. {noise} of the noise is taken "
            "away, and pictures are sharpened by {sharpening} when they have their size. Corners are darker by "
            "{corners}.",
            "Small amounts: brightness, warmth, saturation, contrast, shadows, noise, sharpening, corners",
        ),
    )
