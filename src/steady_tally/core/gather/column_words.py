"""What columns are called, in English, German, French, Spanish, Portuguese, Italian and Dutch."""

from __future__ import annotations

import re

from steady_tally.core.matching import tidy


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


EAST = _words("""
    lon long lng longitude longitud longitudine laengengrad langengrad laenge lange lengtegraad lengte x xcoord coordx
    easting eastings east este est leste rechtswert ostwert oost ost
""")
NORTH = _words("""
    lat latitude latitud latitudine breitengrad breite breedtegraad breedte y ycoord coordy northing northings north
    norte nord hochwert nordwert noord
""")
DEGREES = _words("lon long lng longitude longitud longitudine lengtegraad laengengrad langengrad")
TIME = _words("""
    date time datetime timestamp when day called occurred reported onset start from began datum zeit uhrzeit tag beginn
    heure jour fecha hora inicio data ora tijd dag
""")
UNTIL = _words("to until end ended till bis ende fin fine tot einde")
CLOCK = _words("time clock hour uhrzeit zeit heure hora ora tijd")
PERIOD = _words("""
    year month quarter week period jahr monat quartal woche annee mois trimestre semaine ano mes jaar
""")
IDENTIFIER = _words("""
    id no nr number key ref reference report case code identifier uid uuid nummer kennung numero
""")
COUNT = _words("count counts cases events n total number anzahl faelle nombre casos aantal")
PEOPLE = _words("""
    residents population pop people inhabitants einwohner habitants poblacion inwoners households
""")
BORN = _words(
    "birth born dob birthdate birthday geburt geburtsdatum geboren naissance nacimiento nascimento nascita geboorte"
)
GROUND = _words("area land ground km2 sqkm hectares hectare ha acres acre flaeche superficie surface superficies")
ADDRESS = _words("street road address postcode zip postal strasse rue calle via straat plz place town")


RATE = _words("""
    rate rates ratio share proportion percent percentage pct mean average avg median index score rank per incidence
    prevalence quote anteil mittel mittelwert durchschnitt taux indice moyenne mediane part tasa indice media mediana
    promedio porcentaje taxa gemiddelde aandeel percentuale tasso
""")


def name_words(name: str) -> set[str]:
    """The words of a column's name: "homeLon_2" gives home, lon, 2."""
    return set(tidy(re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).replace("ä", "ae").replace("ß", "ss")).split())


_TOTAL_WORDS = frozenset(
    [
        "total",
        "totals",
        "all",
        "both",
        "sum",
        "altogether",
        "together",
        "overall",
        "everyone",
        "persons",
        "gesamt",
        "insgesamt",
        "alle",
        "zusammen",
        "summe",
        "tous",
        "toutes",
        "ensemble",
        "todos",
        "todas",
        "ambos",
        "totale",
        "tutti",
        "totaal",
        "samen",
        "razem",
        "celkem",
    ]
)


def says_total(label: str) -> bool:
    """Does a label say that its row is the sum of others?"""
    return bool(_TOTAL_WORDS & set(tidy(label).split()))
