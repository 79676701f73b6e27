"""Words that sheets of playtests use, in the commonest European and East Asian languages: for columns and for results."""

from __future__ import annotations

import re
import unicodedata
from functools import cache
from typing import Final

_ENCODINGS: Final = ("cp1252", "shift_jis", "gb18030", "euc_kr", "cp1251", "cp1250")
_LINES: Final = 200


def _words(text: str) -> tuple[str, ...]:
    """Words with commas between."""
    return tuple(word for part in text.split(",") if (word := " ".join(part.split())))


# Per column of a sheet, words that its heading holds: English, German, French, Spanish, Portuguese, Italian, Polish, Russian,
# Chinese, Japanese, Korean.
HEADINGS: Final = {
    "tries": _words("""
        tries, attempts, attempt count, versuche, anzahl versuche, essais, tentatives, intentos, tentativas, tentativi, próby,
        liczba prób, попытки, попыток, 次数, 尝试次数, 試行回数, 挑戦回数, 시도 횟수, 시도횟수
    """),
    "cleared": _words("""
        cleared, completed, solved, done, geschafft, gelöst, réussi, terminé, superado, completado, concluído, completato,
        superato, ukończony, пройден, пройдено, 是否通过, 通过, クリア, 통과, 클리어
    """),
    "player": _words("""
        player, tester, participant, user, spieler, teilnehmer, proband, joueur, participante, jugador, jogador,
        giocatore, partecipante, gracz, uczestnik, игрок, участник, 玩家, プレイヤー, 被験者, 플레이어, 참가자
    """),
    "session": _words("""
        session, sitting, sitzung, séance, sesión, sesion, sessão, sessao, sessione, sesja, сессия, сеанс, 会话, 场次,
        セッション, 세션
    """),
    "level": _words("""
        level, stage, map, stufe, ebene, niveau, nivel, nível, livello, poziom, уровень, 关卡, ステージ, レベル, 레벨,
        스테이지
    """),
    "result": _words("""
        result, outcome, ending, ergebnis, ausgang, résultat, resultat, resultado, risultato, esito, wynik, результат,
        исход, 结果, 結果, 결과
    """),
    "started": _words("""
        start, started, begin, began, date, time, beginn, anfang, datum, zeitpunkt, début, debut, inicio, início,
        fecha, data, inizio, początek, zeit, uhrzeit, zeitstempel, heure, hora, ora, godzina, начало, дата, 开始, 时间,
        開始, 日時, 시작
    """),
    "event": _words("""
        event, ereignis, aktion, événement, evenement, action, evento, acción, accion, ação, acao, azione, zdarzenie,
        событие, 事件, 动作, イベント, 이벤트
    """),
    "ended": _words("end, ended, ende, fin, fim, fine, koniec, конец, 结束, 終了, 종료"),
    "lasted": _words("""
        duration, lasted, seconds, took, length, dauer, sekunden, durée, duree, duración, duracion, duração, duracao,
        durata, czas, длительность, время, 时长, 用时, 所要時間, 秒数, 소요시간, 시간
    """),
    "cause": _words("cause, reason, grund, ursache, raison, causa, motivo, przyczyna, причина, 原因, 死因, 원인"),
    "build": _words("build, version, fassung, versión, versão, versione, wersja, версия, 版本, バージョン, 버전"),
}
RESULTS: Final = {
    "complete": _words("""
        complete, completed, clear, cleared, won, win, success, solved, yes, geschafft, gewonnen, gelöst, ja, réussi,
        gagné, oui, completado, superado, ganado, sí, concluído, vencido, sim, completato, superato, vinto, sì,
        ukończony, wygrana, tak, пройдено, победа, да, 通过, 成功, クリア, 합격, 성공, 클리어
    """),
    "death": _words("""
        fail, failed, dead, died, lost, death, no, gescheitert, verloren, gestorben, nein, échoué, perdu, mort, non,
        fallado, perdido, muerto, falhou, morreu, não, fallito, perso, morto, porażka, przegrana, śmierć, nie, провал,
        поражение, смерть, нет, 失败, 死亡, 失敗, 실패, 사망
    """),
    "reset": _words("""
        reset, restart, restarted, neu gestartet, neustart, recommencé, reiniciado, riavviato, reinício, zresetowany,
        сброс, перезапуск, 重置, 重来, リセット, やり直し, 재시작
    """),
    "quit": _words("""
        quit, gave up, aborted, left, abgebrochen, aufgegeben, abandonné, abandonado, abandonou, abbandonato,
        przerwany, rezygnacja, бросил, выход, 放弃, 退出, 中断, 離脱, 포기, 중단
    """),
    "time_up": _words("""
        time up, time over, zeit um, temps écoulé, tiempo agotado, tempo esgotado, tempo scaduto, koniec czasu,
        время вышло, 时间到, 時間切れ, 시간 초과
    """),
    "crash": _words("crash, crashed, abgestürzt, absturz, planté, cuelgue, travou, awaria, сбой, 崩溃, クラッシュ, 충돌"),
}


_BEGINS: Final = _words("""
    begin, start, begonnen, beginn, anfang, début, commencé, inicio, empezado, início, começou, inizio, iniziato, początek,
    start poziomu, начало, старт, 开始, 開始, スタート, 시작
""")


_TOTALS: Final = _words("""
    total, totals, grand total, sum, average, mean, median, summe, gesamt, gesamtsumme, insgesamt, mittelwert, durchschnitt,
    somme, moyenne, totale, media, suma, promedio, soma, média, razem, średnia, итого, всего,
    среднее, 合计, 总计, 平均, 合計, 합계, 평균
""")


def plain(text: str) -> str:
    """A text in small letters without what stands in brackets, width variants and doubled spaces."""
    folded = unicodedata.normalize("NFKC", text).casefold()
    return " ".join(re.sub(r"\(.*?\)|\[.*?\]", " ", folded).replace("_", " ").split())


def heading_of(name: str) -> str | None:
    """Return the field that a column's heading names; None if no word of it is known."""
    own = plain(name)
    words = re.split(r"[\W\d]+", own)
    best = None
    for meaning, known in HEADINGS.items():
        ranks = [rank for rank, word in enumerate(known) if word == own or word in words or (not word.isascii() and word in own)]
        if ranks and (best is None or (own in known, -ranks[0]) > best[1:]):
            best = (meaning, own in known, -ranks[0])
    return best[0] if best else None


def result_of(word: str) -> str | None:
    """Return the outcome that a word names; None if it is not known."""
    own = plain(word)
    return next((meaning for meaning, known in RESULTS.items() if own in known), None)


def is_total(name: object) -> bool:
    """Return whether a name says that its row or column sums up the others."""
    return isinstance(name, str) and plain(name).strip(" :") in _TOTALS


def event_of(word: str) -> str | None:
    """Return the event that a word names in any of these languages; None if it is not known."""
    if plain(word) in _BEGINS:
        return "start"
    ours = result_of(word)
    return "session_end" if ours in ("quit", "time_up", "crash") else ours


def likeliest(data: bytes, guess: str | None) -> str | None:
    """The encoding by which some bytes hold most words that are known here; what the bytes alone seem to be, where none does."""
    candidates = [*([guess] if guess else []), *(name for name in _ENCODINGS if name != guess)]
    best = max(candidates, key=lambda name: _known_words(data, name), default=None)
    return best if best is not None and _known_words(data, best) else guess


def _known_words(data: bytes, encoding: str) -> int:
    """How many cells of the first lines are words that are known."""
    try:
        text = data[: data.rfind(b"\n") + 1].decode(encoding)
    except (UnicodeDecodeError, LookupError):
        return 0
    cells = [cell.strip(' "') for line in text.splitlines()[:_LINES] for cell in re.split(r"[;,\t]", line)]
    return sum(not cell.isascii() and (heading_of(cell) is not None or result_of(cell) is not None) for cell in cells)


_WORDS: Final = {
    "session_start": ("session_start", "login", "boot", "launch", "app_open"),
    "session_end": ("session_end", "logout", "exit", "quit", "app_close", "shutdown"),
    "first_input": ("first_input", "first_move", "input"),
    "checkpoint": ("checkpoint", "waypoint", "midpoint"),
    "complete": ("complete", "clear", "finish", "win", "won", "solved", "success", "goal", "victory"),
    "death": ("death", "die", "dead", "fail", "kill", "lose", "lost", "drown", "fell", "game_over"),
    "reset": ("reset", "restart"),
    "retry": ("retry", "respawn", "again", "continue"),
    "transition": ("transition", "travel", "goto", "next", "change", "advance", "leave"),
    "pause": ("pause",),
    "resume": ("resume", "unpause"),
    "hit": ("hit", "hurt", "damage"),
    "start": ("start", "begin", "enter", "load", "play", "spawn"),
}


@cache
def event_word(word: str) -> str | None:
    """Return our event that a word seems to name; None if no part of it is known."""
    parts = re.sub(r"([a-z0-9])([A-Z])", r"\1_\2", word).lower()
    parts = re.sub(r"[^a-z0-9]+", "_", parts)
    for ours, hints in _WORDS.items():
        for hint in hints:
            if re.search(rf"(^|_){hint}(e?d|s|ing)?(_|$)", parts):
                return ours
    return event_of(word)
