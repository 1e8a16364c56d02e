"""Where the columns of a text are: rulers, upright strokes, gutters, comments that name them; what goes on from line to line."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

from kebrin.table import Does
from tidying import columns_of, rows_of, tidied, tidied_text

if TYPE_CHECKING:
    from pathlib import Path


DUES = """HARBOUR DUES                                    Sheet 1
Vessel        Berth    Nights       Dues  Note
------------  -----  --------  ---------  --------
Gull          A1            2      40.00
Tern          A2            3      60.00
Skua          B1            1   1,220.00
                     --------  ---------
Total                       6   1,320.00
"""


def test_a_ruler_says_where_a_column_is_that_holds_nothing(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, DUES)
    assert run.holds
    assert columns_of(run) == ("Vessel", "Berth", "Nights", "Dues", "Note")
    assert [row[3] for row in rows_of(run)] == [40, 60, 1220]


STOCK = """Item     Description         On hand       Unit
                                           cost
-------  ------------------  -------  ---------
R1       ROPE, TARRED,            14      12.50
         20 M
S1       Sail                      2     410.00
O1       Oar of ash, for a         9      31.20
         Gull and the
         TERN
"""


def test_texts_go_on_in_their_column_in_any_case_and_headings_too(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, STOCK)
    assert run.holds
    assert columns_of(run)[-1] == "Unit cost"
    assert [row[1] for row in rows_of(run)] == ["ROPE, TARRED, 20 M", "Sail", "Oar of ash, for a Gull and the TERN"]


SECTIONS = """Item     Description         On hand      Price
-------  ------------------  -------  ---------
Rigging
R1       Rope                     14      12.50
S1       Sail                      2     410.00
Boats
O1       Oar                       9      31.20
O2       Oar, long                 3      45.00
"""


def test_a_section_does_not_go_on_with_what_is_above_it(tmp_path: Path) -> None:
    assert {row[0] for row in rows_of(tidied_text(tmp_path, SECTIONS))} == {"Rigging", "Boats"}


PAGES = """Landing returns                 Printed 04/05/2031   {page}
Port: {port}

Boat      Fish     Boxes    Value
--------  ------  ------  -------
{rows}
Sub total         {total}
"""


@pytest.mark.parametrize("page", ["Page {}", "Sheet {}", "{}"])
def test_pages_are_told_by_what_counts_and_their_ports_are_a_column(tmp_path: Path, page: str) -> None:
    first = "Gull      Cod         12   240.50\n          Ling         3    61.00"
    second = "Skua      Cod          5    99.00\nKite      Eel          1    12.75"
    one = PAGES.format(page=page.format(1), port="Wick", rows=first, total="    15   301.50")
    two = PAGES.format(page=page.format(2), port="Brae", rows=second, total="     6   111.75")
    run = tidied_text(tmp_path, one + "\n" + two)
    assert run.holds
    assert [row[:3] for row in rows_of(run)][::2] == [
        ("Wick", "Gull", "Cod"), ("Wick", "Gull", "Ling"), ("Brae", "Skua", "Cod"), ("Brae", "Kite", "Eel"),
    ]  # fmt: skip


BOX = """Boats by berth
╔════════╦═══════════════╗
║ Berth  ║     Boats     ║
║        ║ 2030  ║ 2031  ║
╠════════╬═══════╬═══════╣
║ A1     ║    12 ║    14 ║
║ A2     ║     9 ║     7 ║
║ B1     ║     4 ║     8 ║
╚════════╩═══════╩═══════╝
"""


def test_upright_strokes_part_cells_and_a_missing_one_spans(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, BOX)
    assert run.holds
    assert rows_of(run)[:2] == [("A1", "2030", 12), ("A1", "2031", 14)]
    assert rows_of(tidied_text(tmp_path, BOX.replace("║", "│"))) == rows_of(run)


CLOSE = """No Vessel        State   Fee Ref
01 Gull of Wick  paid  12.50 A
02 Tern          open 112.00 B2
03 Skua and Kite paid   8.25 A
04 Old Hand      open  19.00
05 Sea Harrier   paid  61.75 C1
06 Petrel        paid   3.10 A
07 Fulmar Three  open  44.00 B1
"""


def test_columns_a_blank_apart_are_told_by_gutters_and_headings(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, CLOSE)
    assert run.holds
    assert columns_of(run) == ("No", "Vessel", "State", "Fee", "Ref")
    assert rows_of(run)[2] == ("03", "Skua and Kite", "paid", 8.25, "A")
    # Where a label and its number have one heading, they are one column.
    lanes = "Lane        Jan     Feb\n" + "".join(
        f"Lane {at}     {at * 11:>4}    {at * 7:>4}\n" for at in range(10, 20)
    )
    assert rows_of(tidied_text(tmp_path, lanes))[0][0] == "Lane 10"


@pytest.mark.parametrize(("text", "wanted"), [
    ("# station;height;tide\n# units: -;m;h\nWick;1.20;06:10\nBrae;0.95;06:40\nFoot;1.10;07:05\n# end of file\n",
     ("station", "height", "tide")),
    ("% columns: depth, salt\n% missing: -9.99\n5,34.1\n10,-9.99\n15,34.3\n", ("depth", "salt")),
    ("# code:vessel:port\nG1:Gull:Wick\nT1:Tern:Brae\nS1:Skua:Wick\n", ("code", "vessel", "port")),
    ('"part":"what":"price"\n"R1":"Rope: 20 m":"4.15"\n"S1":"Sail":"41.00"\n"O1":"Oar":"9.50"\n', ("part", "what", "price")),
    ("[berth]\nname = A1\nlength = 20\n\n[berth]\nname = A2\nlength = 18\n", ("name", "length")),
    ("berth=A1\nlength=20\n\nberth=A2\nlength=18\n", ("berth", "length")),
])  # fmt: skip
def test_comments_colons_and_equals_signs_name_what_they_part(
    tmp_path: Path, text: str, wanted: tuple[str, ...]
) -> None:
    run = tidied_text(tmp_path, text)
    assert columns_of(run) == wanted
    assert len(rows_of(run)) in {2, 3}
    assert -9.99 not in {value for row in rows_of(run) for value in row}


def test_a_key_with_a_time_in_it_is_parted_by_no_colon(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, "Vessel: Gull\nLeft: 06:10\n\nVessel: Tern\nLeft: 07:45\n")
    assert rows_of(run) == [("Gull", "06:10"), ("Tern", "07:45")] or len(rows_of(run)) == 2


def test_page_heads_of_a_delimited_text_are_set_aside(tmp_path: Path) -> None:
    head = "PERMITS|||Page   {}|\nRun 14/03/2031|||p04|\nNo|Holder|Issued|Fee|\n"
    one = "".join(f"P{at}|Holder {at}|{at:02}/01/2031|{at}.50|\n" for at in range(1, 9))
    two = "".join(f"P{at}|Holder {at}|{at:02}/02/2031|{at}.50|\n" for at in range(9, 17))
    run = tidied_text(tmp_path, head.format(1) + one + "\n" + head.format(2) + two)
    assert run.holds
    assert len(rows_of(run)) == 16


TIMES = """Sailing             101      103      105
--------------  -------  -------  -------
Quay Street       06:28    08:00    09:39
Salt Pier         06:44    08:20     ....
Lantern Rock      07:52    09:29    11:04

.... does not call
"""


def test_times_are_the_body_of_a_timetable(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, TIMES)
    assert run.holds
    assert rows_of(run)[:2] == [("Quay Street", "101", "06:28"), ("Quay Street", "103", "08:00")]
    assert rows_of(run)[5][2] is None


BANK = """DATE       TYPE  DETAILS          PAID OUT      PAID IN         BALANCE

01 MAR 31        BROUGHT FORWARD                              412.55 CR
03 MAR 31  CR    MOWER SERVICE                   118.91       531.46 CR
07 MAR 31  DD    RAFFLE             378.81                    152.65 CR
11 MAR 31  TFR   HALL HIRE          177.03                     24.38 OD
13 MAR 31  BGC   MATCH TEAS                      259.23       234.85 CR
15 MAR 31  BGC   MATCH TEAS                       22.54       257.39 CR
16 MAR 31  DD    RAFFLE             100.00                    157.39 CR
19 MAR 31  CR    SUBS                            50.00       207.39 CR
20 MAR 31  DD    RAFFLE             300.00                     92.61 OD
21 MAR 31  CR    SUBS                           150.00        57.39 CR
22 MAR 31  DD    HALL HIRE           60.00                      2.61 OD
                 CLOSING BALANCE                                2.61 OD
"""


def test_what_is_overdrawn_is_negative_behind_the_figure(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, BANK)
    assert [row[-1] for row in rows_of(run)] == [
        531.46,
        152.65,
        -24.38,
        234.85,
        257.39,
        157.39,
        207.39,
        -92.61,
        57.39,
        -2.61,
    ]
    asked = [one for one in run.proof.findings if one.does is Does.ASKS]
    assert any("'OD'" in one.what for one in asked)


def test_the_language_of_the_words_says_the_decimal_sign(tmp_path: Path) -> None:
    english = (
        "Refuse taken by the wards\nWard       2030     2031\nWick      1,204    2,310\nBrae      9,998    1,870\n"
    )
    assert rows_of(tidied_text(tmp_path, english))[0][2] == 1204
    german = "Umschlag nach Hafen und Monat\nHafen       Juli   August\nNord       1.204    2.310\nMitte      9.998    1.870\n"
    assert rows_of(tidied_text(tmp_path, german))[0][2] == 1204
    neither = "Ward       2030     2031\nWick      1,204    2,310\nBrae      9,998    1,870\n"
    assert any(one.does is Does.ASKS for one in tidied_text(tmp_path, neither).proof.findings)


PAGE = '<html lang="{}"><body>{}</body></html>'


def test_texts_and_lists_of_terms_on_a_page_are_tables(tmp_path: Path) -> None:
    lines = [
        "Place        High     Low",
        "Wick         4.10    0.90",
        "Brae         3.85    1.10",
        "Foot         4.40    0.75",
    ]
    text = "<h1>Tides</h1><pre>\n" + "\n".join(lines) + "\n</pre>"
    run = tidied_text(tmp_path, PAGE.format("en", text), "r.html")
    assert rows_of(run)[0] == ("Wick", "High", 4.1)
    lists = "".join(
        f"<h3>{name}</h3><dl><dt>Built</dt><dd>{year}</dd><dt>Port</dt><dd>{port}</dd></dl>"
        for name, year, port in [("Gull", 2001, "Wick"), ("Tern", 1998, "Brae"), ("Skua", 2010, "Wick")]
    )
    run = tidied_text(tmp_path, PAGE.format("en", f"<h1>Boats</h1>{lists}"), "s.html")
    assert columns_of(run) == ("name", "Built", "Port")
    assert len(rows_of(run)) == 3


def test_a_page_says_its_language_and_its_notes_their_marks(tmp_path: Path) -> None:
    table = (
        "<table><tr><th>Pier</th><th>2030</th><th>2031</th></tr><tr><td>Wick</td><td>1,204</td><td>2,310</td></tr>"
        '<tr><td>Brae</td><td>9,998</td><td>1,870<a href="#f1"><sup>1</sup></a></td></tr></table>'
        '<ol><li id="f1">To May only.</li></ol>'
    )
    run = tidied_text(tmp_path, PAGE.format("en", table), "r.html")
    assert run.holds
    assert rows_of(run)[-1] == ("Brae", "2031", 1870)
    other = tidied_text(tmp_path, PAGE.format("de", table), "s.html")
    assert rows_of(other)[-1] == ("Brae", "2031", 1.87)


def test_a_page_says_which_rows_head_a_table_of_words(tmp_path: Path) -> None:
    """No figure shows where the body begins; the rows of `th` do."""
    head = '<tr><th rowspan="2">Ticket</th><th>On foot</th><th colspan="2">Vehicles</th></tr>'
    heads = f"<thead>{head}<tr><th>Gate</th><th>Gate</th><th>Deck</th></tr></thead>"
    said = [
        ("Day", "Main gate", "-", "-"),
        ("Season", "Main gate", "North ramp", "-"),
        ("Crew", "Staff gate", "-", "Low"),
    ]
    body = "".join(f"<tr>{''.join(f'<td>{text}</td>' for text in line)}</tr>" for line in said)
    run = tidied_text(tmp_path, PAGE.format("en", f"<h1>Where to board</h1><table>{heads}{body}</table>"), "r.html")
    assert run.holds
    found = {(row[0], row[1], row[2]): row[3] for row in rows_of(run)}
    assert len(found) == 9
    assert found["Season", "Vehicles", "Gate"] == "North ramp"
    assert found["Day", "Vehicles", "Deck"] is None
    full = body.replace(
        "<td>-</td>", "<td>Quay</td>"
    )  # where every cell holds a word the first record heads nothing either
    said = rows_of(tidied_text(tmp_path, PAGE.format("en", f"<table>{heads}{full}</table>"), "s.html"))
    assert len(said) == 9
    assert said[0] == ("Day", "On foot", "Gate", "Main gate")


GATES = [
    ("Gull", "Main gate", "12"),
    ("Tern", "Main gate <sup>[a]</sup>", "14"),
    ("Skua", "Staff gate<sup>[a]</sup> <sup>1</sup>", "15"),
    ("Heron", "North ramp", "9"),
]


def test_texts_below_a_list_on_a_page_are_notes_and_their_marks_go(tmp_path: Path) -> None:
    body = "".join(f"<tr>{''.join(f'<td>{text}</td>' for text in line)}</tr>" for line in GATES)
    table = f"<table><tr><th>Boat</th><th>Gate</th><th>Dues</th></tr>{body}</table>"
    notes = "<p>[a] Only from May to September.</p><p><sup>1</sup> With a pass.</p>"
    run = tidied_text(tmp_path, PAGE.format("en", table + notes), "r.html")
    assert run.holds
    assert [row[1] for row in rows_of(run)] == ["Main gate", "Main gate", "Staff gate", "North ramp"]
    assert any("2 texts bear footnote marks" in one.what for one in run.proof.findings)


def test_what_spans_the_foot_of_a_table_is_no_record(tmp_path: Path) -> None:
    """A page's `tfoot` and a workbook's merged last row alike; with figures it is a total."""
    head = "<thead><tr><th>Boat</th><th>Gate</th><th>Dues</th></tr></thead>"
    body = "".join(f"<tr>{''.join(f'<td>{text}</td>' for text in line)}</tr>" for line in GATES)
    foot = '<tfoot><tr><td colspan="3">[a] Only from May to September.</td></tr></tfoot>'
    run = tidied_text(tmp_path, PAGE.format("en", f"<table>{head}{body}{foot}</table>"), "r.html")
    assert run.holds
    assert [row[0] for row in rows_of(run)] == ["Gull", "Tern", "Skua", "Heron"]
    crews = [
        ["Boat", "Gate", "Master"],
        ["Gull", "Main", "Ada"],
        ["Tern", "Main", "Bo"],
        ["Skua", "Mole", "Cy"],
        ["Laid up"],
    ]
    kept = tidied(tmp_path, crews, ["A5:C5"])
    assert kept.holds
    assert [row[0] for row in rows_of(kept)] == ["Gull", "Tern", "Skua"]


def test_a_mark_behind_a_text_goes_only_where_a_note_explains_it(tmp_path: Path) -> None:
    rows = "Boat,Gate,Dues\nGull,Main gate*,12\nTern,Main gate,14\nSkua,Staff gate,15\n"
    run = tidied_text(tmp_path, rows + "\n* Only from May to September.\n")
    assert run.holds
    assert [row[1] for row in rows_of(run)] == ["Main gate", "Main gate", "Staff gate"]
    assert [row[1] for row in rows_of(tidied_text(tmp_path, rows, "s.txt"))] == [
        "Main gate*",
        "Main gate",
        "Staff gate",
    ]


def test_rows_under_named_columns_are_records(tmp_path: Path) -> None:
    rows = '[["Gull", 4], ["Tern", null], ["Skua", 7]]'
    text = f'{{"title": "Boats", "columns": [{{"name": "boat"}}, {{"name": "trips"}}], "rows": {rows}}}'
    run = tidied_text(tmp_path, text, "r.json")
    assert [row[-2:] for row in rows_of(run)] == [("Gull", 4), ("Tern", None), ("Skua", 7)]


BARS = """+--------+---------------+---------------+
|        |     2030      |     2031      |
| Quay   +-------+-------+-------+-------+
|        | Foot  | Cars  | Foot  | Cars  |
+--------+-------+-------+-------+-------+
| Brae   |   120 |    30 |   131 |    33 |
| Wick   |    80 |    12 |    76 |    14 |
+--------+-------+-------+-------+-------+
| Total  |   200 |    42 |   207 |    47 |
+--------+-------+-------+-------+-------+
"""


@pytest.mark.parametrize("text", [BARS, BARS.replace("|", "│").replace("+", "┼").replace("-", "─")])
def test_a_rule_over_some_columns_parts_what_stands_under_these_alone(text: str, tmp_path: Path) -> None:
    run = tidied_text(tmp_path, text)
    assert run.holds
    assert columns_of(run) == ("Quay", "year", "heading 2", "value")
    assert rows_of(run)[:3] == [
        ("Brae", "2030", "Foot", 120),
        ("Brae", "2030", "Cars", 30),
        ("Brae", "2031", "Foot", 131),
    ]
    assert len(rows_of(run)) == 8


def test_records_between_rules_may_take_several_lines(tmp_path: Path) -> None:
    text = """+------+----------------+------+
| Boat | Remark         | Load |
+======+================+======+
| Gull | late because   |   12 |
|      | of the storm   |      |
+------+----------------+------+
| Tern | on time        |    9 |
+------+----------------+------+
| Lark | over-          |    4 |
|      | loaded         |      |
+------+----------------+------+
"""
    run = tidied_text(tmp_path, text)
    assert run.holds
    assert rows_of(run)[::2] == [("Gull", "late because of the storm", 12), ("Lark", "overloaded", 4)]


def test_words_a_single_blank_apart_are_columns_where_all_lines_hold_as_many(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, "ID NAME PORT LOAD\n001 Gull Brae 12\n002 Tern Wick 9\n003 Skua Brae 104\n")
    assert run.holds
    assert rows_of(run)[2] == ("003", "Skua", "Brae", 104)


def test_few_lines_show_gutters_where_figures_stand_on_both_sides(tmp_path: Path) -> None:
    text = "Boat  Foot Cars Dues\nGull   120   30 1204\nTern    80   12  880\nLark     4    0   31\n"
    run = tidied_text(tmp_path, text)
    assert run.holds
    assert rows_of(run)[0] == ("Gull", 120, 30, 1204)


@pytest.mark.parametrize(
    "said",
    [
        "Bytes 1-4: quay\nBytes 6-15: day\nBytes 17-21: level\n",
        "Columns\n  1-4    quay\n  6-15   day\n  17-21  level, m\n",
        " Bytes  Format  Units  Label\n--------\n  1-  4  A4     ---    quay   its name\n  6- 15  A10    ---    day    of May\n"
        " 17- 21  F5.2   m      level  over datum\n--------\n",
    ],
)
def test_a_text_that_describes_its_columns_is_believed(said: str, tmp_path: Path) -> None:
    run = tidied_text(tmp_path, f"{said}\nBRAE 2031-05-01  1.20\nWICK 2031-05-01\nFOSS 2031-05-02 -0.31\n", "r.dat")
    assert run.holds
    assert columns_of(run)[-3:] == ("quay", "day", "level")
    assert [row[-1] for row in rows_of(run)] == [1.2, None, -0.31]


def test_a_description_that_the_records_do_not_keep_to_is_a_text_like_others(tmp_path: Path) -> None:
    text = "Columns 1-4: quay\nColumns 6-9: level\n\nQuay        Level\nBrae Pier    1.20\nWick Pier    0.95\nFoss Pier    0.31\n"
    assert {row[-2] for row in rows_of(tidied_text(tmp_path, text))} == {"Brae Pier", "Wick Pier", "Foss Pier"}


def test_a_label_may_begin_on_the_line_above_its_figures(tmp_path: Path) -> None:
    lines = [
        "Kind of ship                  2030      2031",
        "Ferries carrying foot",
        "  passengers only              120       131",
    ]
    run = tidied_text(
        tmp_path,
        "\n".join(
            [*lines, "Ferries carrying cars           30        33", "Other                            4         6"]
        ),
    )
    assert run.holds
    assert [row[0] for row in rows_of(run)[::2]] == [
        "Ferries carrying foot passengers only",
        "Ferries carrying cars",
        "Other",
    ]


def test_tables_of_two_columns_stand_below_one_another(tmp_path: Path) -> None:
    text = "Calls\nquay,calls\nBrae,12\nWick,9\n\nDues\nclass,dues\nFoot,300\nCars,520\n"
    run = tidied_text(tmp_path, text, "r.csv")
    assert [(table.columns, len(table)) for table in run.tables.values()] == [
        (("quay", "calls"), 2),
        (("class", "dues"), 2),
    ]


def test_a_sum_carried_forward_is_no_record_where_its_figure_stands_beside_the_words(tmp_path: Path) -> None:
    page = "DAILY LIST                     page {}\nBoat      Load   Port\n"
    text = page.format(1) + "Gull        12   Brae\nTern         9   Wick\ncarried forward 21\n\f" + page.format(2)
    run = tidied_text(tmp_path, text + "brought forward 21\nLark         4   Foss\nTotal       25\n")
    assert run.holds
    assert [row[0] for row in rows_of(run)] == ["Gull", "Tern", "Lark"]


def test_times_under_the_names_of_quays_need_no_heading_over_the_boats(tmp_path: Path) -> None:
    rows = [["", "Brae", "Wick", "Foss"], ["Boat 1", "06:10", "06:40", "07:30"], ["Boat 2", "08:10", "08:40", "09:30"]]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert rows_of(run)[0] == ("Boat 1", "Brae", "06:10")


def test_headings_that_a_hyphen_parts_go_on_below(tmp_path: Path) -> None:
    lines = ["Agree-   Plant     Months   Instal-   Outstan-", "ment     number             ment      ding", "-" * 46]
    lines += ["HA2200   PL/562        12    680.43   6,804.30", "HA2207   PL/421        24    143.87     719.35"]
    lines += ["HA2214   PL/942        36    723.52  15,193.92"]
    run = tidied_text(tmp_path, "\n".join(lines))
    assert run.holds
    assert columns_of(run) == ("Agreement", "Plant number", "Months", "Instalment", "Outstanding")


def test_a_count_below_the_records_is_none_of_them(tmp_path: Path) -> None:
    lines = [
        "Boat        Port     Load",
        "Gull        Brae       12",
        "Tern        Wick        9",
        "Skua        Brae       14",
    ]
    run = tidied_text(tmp_path, "\n".join([*lines, "-" * 25, "NUMBER OF BOATS         3"]))
    assert run.holds
    assert rows_of(run)[-1] == ("Skua", "Brae", 14)


LEDGER = """HARBOUR OFFICE             LEDGER                     PAGE    1

DATE      REF      DETAIL              DEBIT      CREDIT      BALANCE
---------------------------------------------------------------------
ACCOUNT 4010  Quay repairs
                   Opening                                     100.00
01.04.31  CN0410   Rope                40.00                   140.00
26.04.31  PI0565   Refund                         30.00        110.00
          PI0601   Paint               12.00                   122.00

ACCOUNT 4025  Launch hire
                   Opening                                      50.00
02.04.31  PI0803   Fuel                25.00                    75.00
14.05.31  JN0220   Refund                         15.00         60.00
15.05.31  JN0231   Fuel                 5.00                    65.00
"""


def test_words_that_go_through_a_gap_head_what_follows_and_a_balance_makes_records(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, LEDGER)
    assert run.holds
    assert columns_of(run) == ("section", "DATE", "REF", "DETAIL", "DEBIT", "CREDIT", "BALANCE")
    assert [row[0] for row in rows_of(run)] == ["ACCOUNT 4010 Quay repairs"] * 4 + ["ACCOUNT 4025 Launch hire"] * 4
    assert [str(row[1]) for row in rows_of(run)][:4] == ["None", "2031-04-01", "2031-04-26", "2031-04-26"]


def test_a_long_ledger_is_read_as_a_short_one(tmp_path: Path) -> None:
    """Beyond a thousand lines a text is laid out all at once."""
    head, sections = LEDGER.partition("ACCOUNT 4010")[0], LEDGER[LEDGER.index("ACCOUNT 4010") :]
    (short, long) = (rows_of(tidied_text(tmp_path, head + sections * count, f"{count}.txt")) for count in (2, 100))
    assert len(short) == 16
    assert long == short * 50


QUAYS = """HARBOUR REGISTER                    Page 1 of 2
As at 1 April 2031

Quay: East     Keeper: Holm
  Berth  Vessel      Metres     Dues
  -----  ---------  -------  -------
  E1     Gull            12    40.00
  E2     Tern             9    30.00
         East total      21    70.00
         let: 2   free: 1

Quay: West     Keeper: Brae
  Berth  Vessel      Metres     Dues
  -----  ---------  -------  -------
  W1     Skua            10    35.00

HARBOUR REGISTER                    Page 2 of 2
As at 1 April 2031

Quay: West     Keeper: Brae (continued)
  Berth  Vessel      Metres     Dues
  -----  ---------  -------  -------
  W2     Fulmar           7    20.00
         West total      17    55.00
         let: 2   free: 0

         All quays       38   125.00
"""


def test_what_goes_on_on_the_next_page_is_one_and_keys_below_figures_speak_of_them(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, QUAYS)
    assert run.holds
    assert [row[:3] for row in rows_of(run)] == [
        ("East", "Holm", "E1"), ("East", "Holm", "E2"), ("West", "Brae", "W1"), ("West", "Brae", "W2"),
    ]  # fmt: skip


def test_a_key_that_begins_each_block_begins_the_next_one_even_right_below_figures(tmp_path: Path) -> None:
    text = "Zone: East\n\nQuay,Cars,Foot\nE1,3,4\nE2,5,6\nZone: West\n\nQuay,Cars,Foot\nW1,7,8\nW2,9,1\n"
    run = tidied_text(tmp_path, text, "r.csv")
    assert run.holds
    assert {row[:2] for row in rows_of(run)} == {("East", "E1"), ("East", "E2"), ("West", "W1"), ("West", "W2")}


def test_a_line_that_sums_several_blocks_and_stays_a_record_is_objected_to(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, QUAYS.replace("All quays ", "Port      "))
    assert not run.holds
    assert any("of several blocks" in one for one in run.proof.failures)


LINES = (
    "<h2>{name}</h2><table><tr><th>Quay</th><th>2029</th><th>2030</th><th>2031</th></tr>"
    "<tr><td>{quay}</td><td>12.5</td><td>{sign}</td><td>7.1</td></tr>"
    "<tr><td>{quay} head</td><td>3.1</td><td>4.4</td><td>5.0</td></tr></table>"
)
KEY = "<table><tr><td colspan=2>Key</td></tr><tr><td>c</td><td>not published</td></tr></table>"


def test_a_key_in_a_table_of_its_own_speaks_of_all_tables_of_the_page(tmp_path: Path) -> None:
    north, south = (
        LINES.format(name=f"{name} line", quay=name, sign=sign) for name, sign in (("North", "c"), ("South", "8.8"))
    )
    run = tidied_text(tmp_path, PAGE.format("en", north + south + KEY), "r.html")
    assert run.holds
    assert [row[-1] for row in rows_of(run)][:3] == [12.5, None, 7.1]


def test_a_key_in_cells_of_its_own_below_a_table_is_one(tmp_path: Path) -> None:
    head = ["Quay", "Jan", "Feb", "Mar"]
    rows = [head, ["East", 4, "q", 6], ["West", 7, 9, "-"], [], ["Key"], ["q", "not counted"], ["-", "built in April"]]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert [row[-1] for row in rows_of(run)] == [4, None, 6, 7, 9, None]


STATEMENT = (
    "<tr><td>&nbsp;</td><td colspan=2>2031</td><td></td><td colspan=2>2030</td><td></td></tr>"
    "<tr><td>Slips</td><td>£</td><td>1,553</td><td></td><td>£</td><td>2,668</td><td></td></tr>"
    "<tr><td>Refunds</td><td></td><td>(118</td><td>)</td><td></td><td>(64</td><td>)</td></tr>"
    "<tr><td>Berths</td><td></td><td>979</td><td></td><td></td><td>329</td><td></td></tr>"
    "<tr><td>Total</td><td>£</td><td>2,414</td><td></td><td>£</td><td>2,933</td><td></td></tr>"
)


def test_closing_brackets_in_cells_of_their_own_belong_to_their_figures(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, PAGE.format("en", f"<table>{STATEMENT}</table>"), "r.html")
    assert run.holds
    assert [row[-1] for row in rows_of(run)] == [1553, 2668, -118, -64, 979, 329]


def test_figures_of_two_kinds_in_a_page_are_two_measures(tmp_path: Path) -> None:
    heads = "<tr><th rowspan=2>Quay</th><th colspan=2>Wait (minutes)</th><th colspan=2>On time</th></tr>"
    years = "<tr><th>2030</th><th>2031</th><th>2030</th><th>2031</th></tr>"
    body = "".join(
        f"<tr><td>{quay}</td><td>{at}.5</td><td>{at}.1</td><td>8{at}%</td><td>9{at}%</td></tr>"
        for at, quay in enumerate(["East", "West", "Pier"], 3)
    )
    run = tidied_text(tmp_path, PAGE.format("en", f"<table>{heads}{years}{body}</table>"), "r.html")
    assert columns_of(run) == ("Quay", "year", "Wait (minutes)", "On time")
