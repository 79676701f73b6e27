"""A naive replay: one object a session, one dictionary an attempt, the rules read off the definitions one by one."""

from collections import Counter

from oracle import legs as by_legs
from oracle.gate import gate, natural

SLACK = 1e-9
ENDS = {"quit": "quit", "time_up": "time_up", "crash": "crash", "finished": "left"}


class Settings:
    """The replay's settings."""

    def __init__(self, w=0.25, instant=0.5, implied=False, keep_debug=False, keep_shortcuts=False, run_opens=None):
        self.run_opens = run_opens  # a level; else as the log says
        self.w, self.instant, self.implied = w, instant, implied
        self.keep_debug, self.keep_shortcuts = keep_debug, keep_shortcuts


class Player:
    """What a player has done so far, flash visits included and flash attempts not."""

    def __init__(self):
        self.tries, self.clears = Counter(), Counter()
        self.over = False  # its run has ended, and no other has begun


class Sitting:
    """The replay of one session."""

    def __init__(self, session, player, course, settings, findings):
        self.session, self.player, self.course, self.settings = session, player, course, settings
        self.findings, self.coarse = findings, session["coarse"]
        self.records = session["records"]
        self.phase, self.level = "out", None
        self.attempt = self.ready = self.pending = self.hop = self.last_clear = self.visit = None
        self.cleared_last = None
        self.pause = self.pause_cut = None
        self.pauses = []  # (from, to) since the opening or since ready
        self.visits, self.moves = [], []
        self.cause = None
        self.run_end = self.ended = None
        self.places = course.get("places", []) if course else []

    def within(self, since, record):
        if self.coarse:
            near = self.records.index(record) - self.records.index(since) <= 1
            return near and record["exact"] // 1 <= since["exact"] // 1
        return record["time"] - since["time"] <= self.settings.w + SLACK

    def found(self, code):
        self.findings[code] += 1

    def order(self, name):
        names = self.course["names"]
        return names.index(name) if name in names else None

    # attempts and visits

    def open_visit(self, level, record):
        self.visit = {"level": level, "record": record, "attempts": []}
        self.visits.append(self.visit)
        if self.pause and level != self.level:
            self.pause, self.pause_cut = None, True
        self.level = level
        if self.cleared_last == level:
            self.cleared_last = None

    def open(self, record):
        self.attempt = {"level": self.level, "open": record, "hits": 0, "progress": None, "settling": None}
        self.phase = "playing"
        if self.last_clear:
            self.last_clear["opened_since"] = True

    def open_now(self, record):
        self.cut_pause(record)
        self.pauses = []
        self.open(record)

    def cut_pause(self, record):
        if self.pause:
            self.pauses.append((self.pause["time"], record["time"]))
            self.pause, self.pause_cut = None, True

    def close(self, outcome, record, known=True):
        self.cut_pause(record)
        attempt, self.attempt = self.attempt, None
        paused = sum(max(0, b - a) for a, b in self.pauses)
        active = max(0, max(0, record["time"] - attempt["open"]["time"]) - paused) if known else None
        self.pauses = []
        if known and not self.coarse:
            if outcome in ("death", "reset") and active <= self.settings.w + SLACK:
                self.found("flash_attempt")
                return
            if outcome == "complete" and active < self.settings.instant - SLACK:
                self.found("instant_clear")
        attempt.update(
            outcome=outcome,
            close=record,
            active=active,
            paused=paused,
            session=self.session["name"],
            opened=attempt["open"]["time"],
            closed=record["time"],
        )
        self.visit["attempts"].append(attempt)
        self.player.tries[attempt["level"]] += 1
        self.player.clears[attempt["level"]] += outcome == "complete"

    def down(self, record):
        self.phase, self.ready = "down", record
        self.pauses = []
        if self.pause:
            self.pause = dict(record)

    def cleared(self, record):
        self.phase, self.cleared_last = "cleared", self.level
        self.last_clear = {"record": record, "level": self.level, "opened_since": False}

    def leave(self, record):
        if self.phase == "playing":
            self.close("left", record)
            self.found("start_while_playing")

    def see_progress(self, record):
        value = record.get("progress")
        if value is not None and record.get("level") in (None, self.level):
            self.attempt["progress"] = max(value, self.attempt["progress"] or 0.0)

    # the run

    def run(self):
        for record in self.records:
            if self.cause is not None:
                self.found("after_skip" if self.cause == "skip" else "after_end")
            elif self.player.over and self.is_no_play(record):
                pass
            else:
                getattr(self, "on_" + record["event"])(record)
        if self.cause is None:
            self.found("no_session_end")
            self.cause = "unknown"
            if self.phase == "playing":
                self.close("unknown", self.records[-1])
        return [attempt for visit in self.visits for attempt in self.kept(visit)]

    def on_run_start(self, record):
        self.player.over = False

    def on_run_end(self, record):
        self.player.over, self.run_end, self.ended = True, record, None
        if self.phase == "playing":
            self.see_progress(record)
            before = len(self.visit["attempts"])
            self.close({"won": "complete", "failed": "death"}.get(record.get("cause"), "left"), record)
            if len(self.visit["attempts"]) > before:
                self.ended = self.visit["attempts"][-1]
        self.phase, self.hop, self.cleared_last = "out", None, None
        if self.last_clear:
            self.last_clear["opened_since"] = True

    def is_no_play(self, record):
        """Whether a record comes after the run's end and before the next beginning, or belongs to the attempt that the end closed."""
        event, level = record["event"], record.get("level")
        if event in ("run_start", "run_end", "session_start", "session_end"):
            return False
        outcome = event in ("complete", "death", "reset")
        if outcome and self.ended and level == self.level and self.within(self.run_end, record):
            if self.ended["outcome"] == "left":
                self.ended["outcome"] = event
                self.player.clears[level] += event == "complete"
            if self.ended["outcome"] == event:
                self.ended["close"] = record
                if record.get("progress") is not None:
                    self.ended["progress"] = max(record["progress"], self.ended["progress"] or 0.0)
            self.ended = None
            return True
        opens = event in ("start", "retry") or outcome
        if self.settings.run_opens == "anywhere":
            opens = (opens or event == "transition") and level is not None and level not in self.places
        elif self.settings.run_opens == "records":
            opens = False
        else:
            opens = opens and level == self.settings.run_opens
        if opens:
            self.player.over = False
            return False
        self.found("after_end")
        return True

    def kept(self, visit):
        attempts = visit["attempts"]
        if attempts and not self.coarse and all(a["outcome"] == "left" for a in attempts):
            if attempts[-1]["closed"] - attempts[0]["opened"] <= self.settings.w + SLACK:
                self.found("flash_visit")
                return []
        return attempts

    def on_session_start(self, record):
        pass

    def at_place(self, record):
        if record.get("level") in self.places and record.get("level") is not None:
            self.found("no_effect")
            return True
        return False

    def here(self, record):
        return self.phase != "out" and record["level"] == self.level

    def on_start(self, record):
        if self.at_place(record):
            return
        if self.here(record) and self.phase == "playing":
            if self.within(self.attempt["open"], record):
                self.found("repeated_start")
                return
            self.close(self.reset_outcome(record), record)
        elif self.here(record) and self.phase == "down":
            pass
        elif self.here(record):
            self.open_visit(record["level"], record)
        else:
            if record["event"] == "start":
                self.imply_complete(record["level"], record)
            self.leave(record)
            self.open_visit(record["level"], record)
            if record["event"] == "retry":
                self.found("retry_without_start")
        self.open_now(record)

    on_retry = on_start

    def reset_outcome(self, record):
        if record.get("fault"):
            self.found("fault_reset")
            return "left"
        return "reset"

    def on_death(self, record):
        if self.at_place(record):
            return
        if not self.here(record):
            self.elsewhere("death", record)
        elif self.phase == "playing":
            self.see_progress(record)
            self.close("death", record)
            self.down(record)
        elif self.phase == "cleared":
            self.found("death_after_complete")
        elif self.within(self.ready, record):
            self.found("repeated_death")
        else:
            self.found("implied_retry")
            self.open(self.ready)
            self.see_progress(record)
            self.close("death", record)
            self.down(record)

    def on_reset(self, record):
        if self.at_place(record):
            return
        if self.here(record) and self.phase == "playing":
            self.see_progress(record)
            self.close(self.reset_outcome(record), record)
        elif self.here(record) and self.phase == "cleared":
            self.open_visit(record["level"], record)
        elif not self.here(record):
            if self.is_pending(record["level"]):
                self.found("implied_start")
                self.open_visit(record["level"], self.hop["record"])
                self.open_now(self.hop["record"])
                self.see_progress(record)
                self.close("reset", record)
            else:
                self.leave(record)
                self.found("reset_without_start")
                self.open_visit(record["level"], record)
        self.down(record)

    def on_complete(self, record):
        if self.at_place(record):
            return
        if not self.here(record):
            self.elsewhere("complete", record)
        elif self.phase == "cleared":
            self.found("repeated_complete")
        else:
            if self.phase == "down":
                self.found("implied_retry")
                self.open(self.ready)
            self.see_progress(record)
            self.close("complete", record)
            self.cleared(record)

    def is_pending(self, level):
        return self.phase == "out" and self.hop is not None and self.hop["to"] == level

    def elsewhere(self, outcome, record):
        level, clear = record["level"], self.last_clear
        if level == self.cleared_last and not self.is_pending(level):
            self.found("repeated_complete" if outcome == "complete" else "death_after_complete")
            return
        if outcome == "complete" and clear and not clear["opened_since"] and clear["level"] != level:
            if self.within(clear["record"], record):
                self.found("repeated_complete")
                return
        if self.is_pending(level):
            self.found("implied_start")
            self.open_visit(level, self.hop["record"])
            self.open_now(self.hop["record"])
            self.see_progress(record)
            self.close(outcome, record)
        else:
            self.leave(record)
            self.found("outcome_without_start")
            self.open_visit(level, record)
            self.open_now(record)
            self.see_progress(record)
            self.close(outcome, record, known=False)
        if outcome == "complete":
            self.cleared(record)
        else:
            self.down(record)

    def on_checkpoint(self, record):
        if self.at_place(record):
            return
        if self.phase != "playing" or record.get("level") not in (None, self.level):
            self.found("no_effect")
            return
        self.see_progress(record)
        if record["event"] == "hit":
            self.attempt["hits"] += 1
        if record["event"] == "first_input":
            if self.attempt["settling"] is not None:
                self.found("no_effect")
            else:
                self.attempt["settling"] = max(0, record["time"] - self.attempt["open"]["time"])

    on_hit = on_first_input = on_checkpoint

    def on_pause(self, record):
        was_cut, self.pause_cut = self.pause_cut, None
        if self.phase not in ("playing", "down") or record.get("level") not in (None, self.level):
            self.found("no_effect")
            return
        if self.phase == "playing":
            self.see_progress(record)
        fits = (self.pause is None) if record["event"] == "pause" else (self.pause is not None)
        if not fits:
            self.found("no_effect" if was_cut or self.phase == "down" else "unmatched_pause")
        elif record["event"] == "pause":
            self.pause = record
        else:
            self.pauses.append((self.pause["time"], record["time"]))
            self.pause = None

    on_resume = on_pause

    def on_session_end(self, record):
        cause = record.get("cause")
        self.cause = cause if cause in ENDS else "unknown"
        if self.phase != "playing":
            return
        last = self.course["names"][-1:] == [self.level]
        if self.course.get("by_legs") and self.order(self.level) is not None:
            last = by_legs.leg_number(self.course, self.level) == by_legs.last_leg(self.course)
        if self.settings.implied and cause == "finished" and last and not self.within(self.visit["record"], record):
            self.complete_by_implication(record)
            return
        self.see_progress(record)
        self.close(ENDS.get(cause, "unknown"), record)

    def imply_complete(self, target, record):
        if not self.settings.implied or self.phase != "playing" or target is None:
            return
        here, there = self.order(self.level), self.order(target)
        if here is None or there is None or self.within(self.visit["record"], record):
            return
        on = there == here + 1
        if self.course.get("by_legs"):
            leg, next_leg = (by_legs.leg_number(self.course, name) for name in (self.level, target))
            routes = [self.course["level"][place].get("route") for place in (here, there)]
            on = next_leg in by_legs.next_legs(self.course, leg)
            on = on and not by_legs.missing_on_route(self.course, target, self.level, self.player.tries)
            on = on or (leg == next_leg and there > here and routes[0] is not None and routes[0] == routes[1])
        if on:
            self.complete_by_implication(record)

    def complete_by_implication(self, record):
        self.found("implied_complete")
        self.see_progress(record)
        self.close("complete", record)
        self.cleared(record)

    def on_transition(self, record):
        origin, target, hop = record["level"], record.get("to"), self.hop
        adjacent = hop is not None and self.records.index(record) == self.records.index(hop["record"]) + 1
        at_once = adjacent and self.within(hop["record"], record)
        if at_once and (hop["from"], hop["to"]) == (origin, target):
            self.found("repeated_transition")
            return
        current = (hop["to"] if hop else None) if self.phase == "out" else self.level
        if current is not None and origin != current:
            self.found("level_mismatch")
            if self.phase in ("playing", "down") and target == self.level:
                return
        double = at_once and hop["to"] == origin
        if double:
            self.found("double_transition")
        self.imply_complete(target, record)
        closed = None
        if self.phase == "playing":
            self.see_progress(record)
            closed = self.level
            self.close("left", record)
        kind = self.kind(origin, target, closed, double, record)
        self.moves.append({"from": origin, "to": target, "kind": kind, "record": record, "session": self.session["name"]})
        self.phase = "out"
        self.hop = {"record": record, "from": origin, "to": target}
        if kind == "skip" and not self.settings.keep_shortcuts:
            self.cause = "skip"

    def kind(self, origin, target, closed, double, record):
        here, there = self.order(origin), self.order(target)
        if target is None or there is None:
            return "exit"
        if here is None:
            return "entry"
        if target == origin:
            return "repeat"
        if self.course.get("by_legs"):
            flash = closed == origin and self.player.tries[origin] == 1 and self.within(self.visit["record"], record)
            return by_legs.kind(self.course, origin, target, flash, double, self.player, self.found, self.settings.run_opens)
        if there < here:
            return "restart" if target == self.settings.run_opens else "setback"
        tries = self.player.tries[origin]
        following = there == here + 1
        if following and closed == origin and tries == 1 and self.within(self.visit["record"], record):
            return "passed"
        if following and tries:
            if not self.player.clears[origin]:
                self.found("advance_without_clear")
            return "advance"
        if self.player.tries[target]:
            return "return"
        if double:
            return "passed"
        return "passed" if self.course["inferred"] else "skip"


def replay(raws, course=None, settings=None):
    """The play of a log: attempts, moves, findings, sessions, the course's level names."""
    settings = settings or Settings()
    sessions, gate_findings, debug = gate(raws, course, settings.keep_debug)
    if settings.run_opens is None:
        says = any(record["event"] == "run_start" for session in sessions for record in session["records"])
        settings.run_opens = "records" if says else "anywhere"
    if course is not None:
        used = {**course, "names": [level["name"] for level in course["level"]], "inferred": False}
    else:
        blank = {"names": [], "inferred": True}
        attempts = run(sessions, blank, settings, Counter())[0]
        used = {"names": infer(attempts), "inferred": True}
    findings = Counter(gate_findings)
    attempts, moves = run(sessions, used, settings, findings)
    return {
        "attempts": attempts,
        "moves": moves,
        "findings": {k: n for k, n in findings.items() if n},
        "sessions": sessions,
        "names": used["names"],
        "debug": debug,
    }


def run(sessions, course, settings, findings):
    attempts, moves, players = [], [], {}
    for session in sessions:
        player = players.setdefault(session["player"], Player())
        sitting = Sitting(session, player, course, settings, Counter() if session.get("copy") else findings)
        own = sitting.run()
        session["cause"] = sitting.cause
        for item in (*own, *sitting.moves):
            item["player"] = session["player"]
        attempts += own
        moves += sitting.moves
    cleared, count = set(), Counter()
    for attempt in attempts:
        key = attempt["player"], attempt["level"]
        count[key] += 1
        attempt["number"], attempt["rerun"] = count[key], key in cleared
        if attempt["outcome"] == "complete":
            cleared.add(key)
    return attempts, moves


def infer(attempts):
    firsts = {}
    for attempt in attempts:
        own = firsts.setdefault(attempt["player"], [])
        if attempt["level"] not in own:
            own.append(attempt["level"])
    left = sorted({attempt["level"] for attempt in attempts}, key=natural)
    order = []
    while left:

        def ahead(level, left=left):
            count = 0
            for other in left:
                both = [own for own in firsts.values() if level in own and other in own]
                sooner = sum(own.index(other) < own.index(level) for own in both)
                count += other != level and sooner > len(both) / 2
            return count

        best = min(left, key=ahead)
        left.remove(best)
        order.append(best)
    return order
