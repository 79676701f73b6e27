def test_how_players_are(milepost):
    """What is let be is so: nobody gives up, skills spread as said; what makes no sense is one line."""
    words = ("simulate", "--players", "200", "--levels", "8", "--minutes", "0", "--sessions", "1", "-o", "log.jsonl")
    settings = ("quit_base=0", "quit_between=0", "crash_hourly=0", "skill_sd=2", "learning=1.5")
    done = milepost(*words, "--truth", "truth.json", *(word for text in settings for word in ("--let", text)))
    assert done.returncode == 0, done.stderr
    assert milepost.json("funnel", "log.jsonl")["levels"][-1]["cleared"] == 200
    model = milepost.json("spikes", "log.jsonl")["model"]
    assert abs(model["skill_sd"] - 2) < 0.5 and abs(model["learning"] - 1.5) < 0.6
    for text, said in (
        ("luck=1", "no such setting"),
        ("quit_base=2", "between 0 and 1"),
        ("try_seconds=0", "above 0"),
        ("setback_after=1.5", "whole number"),
        ("skill_sd=nan", "from 0 up"),
        ("players=3", "no such setting"),
    ):
        done = milepost(*words, "--let", text)
        assert done.returncode == 2 and said in done.stderr and done.stderr.count("\n") == 1
