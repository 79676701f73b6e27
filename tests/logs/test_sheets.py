"""Sheets with a row an attempt, in many languages: the draft of a map reads them as it is."""

import pytest

ATTEMPTS = [("A", 1, 12.5, 0), ("A", 1, 9.25, 1), ("B", 1, 7.75, 2), ("B", 1, 30, 1), ("A", 2, 5, 1), ("B", 2, 8, 0)]
# Per language: separator, decimal mark, encoding, headings (player, level, duration, result), words (failed, cleared, reset).
SHEETS = {
    "English": (",", ".", "utf-8", ("Tester", "Level", "Duration (s)", "Outcome"), ("failed", "cleared", "restarted")),
    "German": (";", ",", "cp1252", ("Spieler", "Stufe", "Dauer (s)", "Ergebnis"), ("gescheitert", "gelöst", "neu gestartet")),
    "French": (";", ",", "utf-8-sig", ("Joueur", "Niveau", "Durée (s)", "Résultat"), ("échoué", "réussi", "recommencé")),
    "Spanish": (";", ",", "utf-8", ("Jugador", "Nivel", "Duración", "Resultado"), ("fallado", "superado", "reiniciado")),
    "Portuguese": (";", ",", "utf-8", ("Jogador", "Nível", "Duração", "Resultado"), ("falhou", "concluído", "reinício")),
    "Italian": (";", ",", "utf-8", ("Giocatore", "Livello", "Durata", "Esito"), ("fallito", "superato", "riavviato")),
    "Polish": (";", ",", "utf-8", ("Gracz", "Poziom", "Czas", "Wynik"), ("porażka", "wygrana", "reset")),
    "Russian": (";", ",", "utf-8", ("Игрок", "Уровень", "Длительность", "Результат"), ("провал", "пройдено", "сброс")),
    "Chinese": (",", ".", "utf-8", ("玩家", "关卡", "用时", "结果"), ("失败", "通过", "重置")),
    "Japanese": (",", ".", "shift_jis", ("プレイヤー", "ステージ", "所要時間", "結果"), ("失敗", "クリア", "リセット")),
    "Korean": (",", ".", "utf-8", ("플레이어", "스테이지", "소요시간", "결과"), ("실패", "성공", "재시작")),
}


@pytest.mark.parametrize("language", SHEETS)
def test_a_drafted_map_reads_it(milepost, language):
    separator, mark, encoding, headings, words = SHEETS[language]
    rows = [
        separator.join((f"P{player}", f"L{level}", str(lasted).replace(".", mark), words[result]))
        for level, player, lasted, result in ATTEMPTS
    ]
    milepost.write("sheet.csv", ("\n".join([separator.join(headings), *rows]) + "\n").encode(encoding))
    drafted = milepost("map", "sheet.csv", "-o", "map.toml")
    assert drafted.returncode == 0, drafted.stderr
    found = {row["level"]: row for row in milepost.json("attempts", "sheet.csv", "--map", "map.toml")["levels"]}
    assert {name: (row["players"], row["settled"], row["clears"]) for name, row in found.items()} == {
        "LA": (2, 3, 2),
        "LB": (2, 3, 1),
    }
    times = {row["level"]: row for row in milepost.json("times", "sheet.csv", "--map", "map.toml")["levels"]}
    assert times["LA"]["run_p50"] == pytest.approx(7.125) and times["LB"]["fail_p50"] == pytest.approx(7.875)


def test_what_is_no_sheet(milepost, small_log):
    """A log of events is drafted as ever, and results that nobody knows are asked for."""
    milepost.write("log.jsonl", small_log)
    assert "[rows]" not in milepost("map", "log.jsonl").stdout
    milepost.write("sheet.csv", "Tester,Level,Outcome\nAda,A,cleared\nAda,B,cleared\nBo,A,cleared\nBo,B,blorped\n")
    assert '# "blorped" = "?"  # NOT GUESSED' in milepost("map", "sheet.csv").stdout


def test_stays_and_wide_tables(milepost):
    """Their drafts read them too."""
    milepost.write(
        "stays.csv", "Spieler;Stufe;Versuche;Dauer (s);geschafft\nAda;Teich;3;40,5;ja\nAda;Bogen;2;25;nein\nBo;Teich;1;12;ja\n"
    )
    milepost.write("wide.csv", "Tester,Pond tries,Pond seconds,Arch tries,Arch seconds\nAda,3,40,2,25\nBo,1,12,,\n")
    milepost.write("numbered.csv", "Tester,Level 1,Level 2,Level 3\nAda,3,2,1\nBo,1,,\n")
    expected = {
        "stays.csv": [("Teich", 4, 2), ("Bogen", 2, 0)],
        "wide.csv": [("Pond", 4, 2), ("Arch", 2, 1)],
        "numbered.csv": [("Level 1", 4, 2), ("Level 2", 2, 1), ("Level 3", 1, 1)],
    }
    for name, figures in expected.items():
        assert milepost("map", name, "-o", "map.toml").returncode == 0
        levels = milepost.json("attempts", name, "--map", "map.toml")["levels"]
        assert [(row["level"], row["settled"], row["clears"]) for row in levels] == figures, (
            milepost.folder / "map.toml"
        ).read_text()
        (milepost.folder / "map.toml").unlink()
    assert (
        "time of whole stays"
        in milepost("times", "stays.csv", "--map", milepost.write("m.toml", milepost("map", "stays.csv").stdout)).stdout
    )


def test_what_is_ours_already_is_not_called_unused(milepost):
    """A column that is called as one of our fields is read as one, whether the draft names it or not; versions are no range."""
    fields = {"level": "Mill Pond", "collected": 1, "available": 3, "mood": "calm"}
    milepost.write(
        "log.jsonl", [{"session": f"s{n}", "time": n, "event": "start", "build": f"0.{7 + n % 2}", **fields} for n in range(6)]
    )
    read, unused = milepost("map", "log.jsonl").stdout.split("# Not used;")
    assert "#   collected: in 100 % of records, 1 value: 1\n" in read.split("# Read as they are")[1] and "collected" not in unused
    assert "2 values: 0.7 and 0.8" in read and "mood: in 100 %" in unused


@pytest.mark.parametrize(
    ("step", "lines"),
    [
        (6, ['unit = "s"  # the median step between records of a session is 6']),
        (6000, ['unit = "ms"  # the median step between records of a session is 6,000, the largest time 306,000']),
        (6_000_000, ['unit = "us"  # the median step between records of a session is 6,000,000, the largest time 306,000,000']),
        (360, ['unit = "frames"  # the median step is 360', "rate = 60  # frames per second: NOT GUESSED, check"]),
    ],
)
def test_units_of_a_log_of_ours(milepost, step, lines):
    """Numbers too far apart to be seconds are something else, and the reason stands beside."""
    words = ["start", "death", "start", "complete"]
    log = [
        {"session": f"s{n}", "time": step * place, "event": words[place % 4], "level": f"Lock {place // 4}"}
        for n in range(5)
        for place in range(52)
    ]
    milepost.write("log.jsonl", log)
    drafted = milepost("map", "log.jsonl").stdout
    assert all(line in drafted for line in lines), drafted
