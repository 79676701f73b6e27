"""Legs read off the definitions: plain searches over lists of levels."""


def legs(course):
    """The legs of a course: lists of levels, each a dictionary."""
    found = []
    for level in course["level"]:
        leg = level.get("leg")
        if (level.get("optional") and leg is None and found) or (found and leg is not None and found[-1]["name"] == leg):
            found[-1]["levels"].append(level)
        elif found and all(own.get("optional") and own.get("leg") is None for own in found[-1]["levels"]):
            found[-1]["levels"].append(level)
            found[-1]["name"] = leg
        else:
            found.append({"name": leg, "levels": [level]})
    for leg in found:
        leg["way"] = [level for level in leg["levels"] if not level.get("optional")]
        leg["called"] = leg["name"] or (leg["way"] or leg["levels"])[0]["name"]
        leg["needs"] = course.get("legs", {}).get(leg["called"], {}).get("needs")
    return found


def leg_number(course, name):
    return next((n for n, leg in enumerate(legs(course)) if any(level["name"] == name for level in leg["levels"])), None)


def is_done(leg, cleared):
    """Whether somebody who cleared these levels has done a leg."""
    required = [level for level in leg["way"] if not level.get("open")] or leg["way"]
    routes = {level.get("route") for level in leg["levels"]} - {None}
    if routes:
        of_none = all(level["name"] in cleared for level in required if level.get("route") is None)

        def way(route):
            return all(level["name"] in cleared for level in required if level.get("route") == route)

        own = {level.get("route") for level in required} - {None}
        return of_none and any(way(route) for route in own)
    count = sum(level["name"] in cleared for level in required)
    return count >= (len(required) if leg["needs"] is None else min(leg["needs"], len(required)))


def next_legs(course, number):
    """The numbers of the legs that are next: up to and with the first one that has a level that is not optional."""
    found = []
    for later in range(number + 1, len(legs(course))):
        found.append(later)
        if legs(course)[later]["way"]:
            break
    return found


def last_leg(course):
    return max(n for n, leg in enumerate(legs(course)) if leg["way"])


def missing_on_route(course, target, origin, tries):
    """Whether a level of the target's route before it, not optional and not the origin, has no attempt."""
    level = next(level for level in course["level"] if level["name"] == target)
    if level.get("route") is None:
        return False
    before = course["level"][: course["level"].index(level)]
    own = [one for one in before if one.get("route") == level["route"] and not one.get("optional") and one["name"] != origin]
    return any(not tries[one["name"]] for one in own)


def kind(course, origin, target, flash, double, player, found, opens):
    """The kind of a move between two levels of the course, which are not the same."""
    here, there = leg_number(course, origin), leg_number(course, target)
    names = [level["name"] for level in course["level"]]
    by_name = {level["name"]: level for level in course["level"]}
    back = "restart" if target == opens else "setback"
    if here == there:
        route = by_name[origin].get("route")
        if route is not None and route == by_name[target].get("route") and names.index(target) < names.index(origin):
            return back
        if flash and not player.tries[target]:
            return "passed"
        if player.tries[target]:
            return "return"
        if missing_on_route(course, target, origin, player.tries):
            return "passed" if double else "skip"
        return "advance"
    if there < here:
        return back
    if there in next_legs(course, here) and not missing_on_route(course, target, None, player.tries):
        if flash:
            return "passed"
        if any(player.tries[level["name"]] for level in legs(course)[here]["levels"]):
            if not is_done(legs(course)[here], {name for name, count in player.clears.items() if count}):
                found("advance_without_clear")
            return "advance"
    if player.tries[target]:
        return "return"
    return "passed" if double else "skip"
