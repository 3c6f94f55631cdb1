"""What the heading of a column names, in the words that shops of Europe use for it.

Words are compared without accents, letter case and punctuation: "Réf.", "REF" and "ref" are one.
"""

import re
from enum import IntEnum
from itertools import product
from typing import NamedTuple

from anyascii import anyascii

_FIELD_WORDS = {
    "name": (
        "name, product, product name, title, description, item name, article name, bezeichnung, "
        "artikelbezeichnung, artikelname, produktname, produktbezeichnung, beschreibung, titel, designation, "
        "nom, nom du produit, libelle, intitule, titre, descrizione, nome, nome prodotto, denominazione, "
        "titolo, descripcion, nombre, nombre del producto, denominacion, titulo, omschrijving, naam, "
        "productnaam, benaming, descricao, nome do produto, designacao, benamning, namn, produktnamn, navn, "
        "produktnavn, betegnelse, beskrivelse, nazwa, nazwa produktu, opis, nazev, nimi, tuotenimi, nimike, "
        "megnevezes"
    ),
    "category": (
        "category, group, product group, department, family, product type, type, kategorie, warengruppe, "
        "gruppe, artikelgruppe, produktgruppe, categorie, famille, groupe, rayon, categoria, gruppo, reparto, "
        "famiglia, grupo, familia, groep, productgroep, artikelgroep, kategori, varugrupp, grupp, varegruppe, "
        "kategoria, grupa, skupina, luokka, ryhma, tuoteryhma"
    ),
    "ean": (
        "ean, gtin, ean13, gtin13, gtin14, ean 13, gtin 13, ean gtin, barcode, bar code, upc, ean code, ean "
        "nummer, ean nr, gtin nummer, strichcode, code barres, code a barres, code ean, codice a barre, "
        "codice ean, codigo de barras, codigo ean, streepjescode, streckkod, strekkode, stregkode, kod "
        "kreskowy, kod ean, carovy kod, viivakoodi"
    ),
    "width": (
        "width, w, breite, largeur, larghezza, ancho, anchura, breedte, largura, bredd, bredde, szerokosc, "
        "sirka, leveys"
    ),
    "height": (
        "height, h, hohe, hoehe, hauteur, altezza, alto, altura, hoogte, hojd, hojde, hoyde, wysokosc, vyska, korkeus"
    ),
    "depth": (
        "depth, d, tiefe, profondeur, profondita, profundidad, fondo, diepte, profundidade, djup, dybde, "
        "glebokosc, hloubka, syvyys"
    ),
    "colour": "colour, color, farbe, couleur, colore, kleur, cor, farg, farve, farge, kolor, barva, vari",
    "filename": (
        "filename, file name, file, photo, picture, image, photo file, dateiname, datei, bilddatei, foto, "
        "bild, nom de fichier, nom du fichier, fichier, nome file, immagine, nombre de archivo, archivo, "
        "imagen, bestandsnaam, bestand, afbeelding, nome do ficheiro, ficheiro, arquivo, imagem, filnamn, "
        "filnavn, fil, billede, bilde, nazwa pliku, plik, zdjecie, tiedosto, tiedostonimi, kuva"
    ),
    "view": (
        "view, side, facing, ansicht, seite, vue, vista, lato, aanzicht, zijde, vy, visning, widok, pohled, nakyma"
    ),
}

_THINGS = (
    "product produkt produit producto prodotto produto tuote item article artikel articulo articolo artigo art style "
    "stock model modell modele modelo vare varu bestell towar "
    "towaru produktu zbozi vyrobku artykul artykulu"
)
_CODE_WORDS = (
    "code codes id key no nr num number nummer numero numer cislo kod kode koodi codice codigo ref reference referenz "
    "referencia riferimento referencja identifier"
)
_ALONE = (
    "code sku codice codigo kod kode koodi ref reference referenz referencia riferimento referencja artikelnummer "
    "indeks cikkszam tuotenumero tuotekoodi objednacislo"
)
_MAYBE = ("item", "article", "style", "artikel", "articulo", "articolo", "artigo")
_FILLERS = {"de", "du", "des", "del", "di", "do", "da", "of", "the", "la", "le", "el", "il", "l", "d"}


class Sureness(IntEnum):
    """How surely a heading names a field: "Article" may head codes or names, "Article code" says it."""

    MAYBE = 1
    SURE = 2


class Heading(NamedTuple):
    """The field that a heading names, "" for none."""

    field: str
    sureness: Sureness = Sureness.SURE


SIZES = ("width", "height", "depth")
UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "inch": 25.4, "inches": 25.4, '"': 25.4, "″": 25.4}
_UNIT_ENDS = re.compile(r"[\s_(\[/]*(mm|cm|m|in|inch|inches)[)\]]?\s*$")

_USUAL = {word: field for field, words in _FIELD_WORDS.items() for word in words.split(", ")}
_OF_CODES = {
    *_ALONE.split(),
    *("".join(pair) for pair in product(_THINGS.split(), _CODE_WORDS.split())),
    *("".join(pair) for pair in product(_CODE_WORDS.split(), _THINGS.split())),
}
_OF_CODES |= {"product" + word + "s" for word in ("code", "id")}


def named_by(heading: str) -> Heading:
    """The field that a heading names in the usual words: code, name, category, ean, width, height, depth, colour,
    filename or view."""
    words = _plain(heading)
    without = _plain(_UNIT_ENDS.sub("", folded_heading(heading)))
    for tried in (words, without):
        if tried in _USUAL and (tried == words or _USUAL[tried] in SIZES):
            return Heading(_USUAL[tried])
    if "".join(word for word in words.split() if word not in _FILLERS) in _OF_CODES:
        return Heading("code")
    return Heading("code", Sureness.MAYBE) if words in _MAYBE else Heading("")


def unit_of(heading: str) -> float:
    """The unit that a heading ends with, mm; 1 without one."""
    found = _UNIT_ENDS.search(folded_heading(heading))
    return UNITS[found.group(1)] if found else 1.0


def folded_heading(heading: str) -> str:
    """A heading without regard to letter case, spacing and the punctuation around it."""
    return " ".join(heading.replace("_", " ").replace("-", " ").casefold().split()).strip(":.")


def _plain(heading: str) -> str:
    """Words of a heading in plain letters: "Réf. article" -> "ref article", "N° d'article" -> "no d article"."""
    numbered = re.sub(r"\bn\s*[°º]|#|№", " no ", folded_heading(heading))
    return " ".join(re.findall(r"[a-z]+|\d+", anyascii(numbered).lower().replace("ean13", "ean 13")))
