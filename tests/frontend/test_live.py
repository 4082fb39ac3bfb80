"""Which window shows what, as the server tells it piece by piece."""


def place(window, path, who="Mara"):
    return {"window": window, "place": path, "who": who}


def test_places_after_a_window_moved_or_closed(node):
    held = [place("a", "/jobs/1/fit"), place("b", "/jobs/2/fit")]
    moved, closed, new, unknown = node(
        ("afterMove", held, place("a", "/jobs/3/fit")), ("afterMove", held, place("b", "")),
        ("afterMove", held, place("c", "/shelf", "Iris")), ("afterMove", [], place("a", "")),
    )  # fmt: skip
    assert moved == [place("b", "/jobs/2/fit"), place("a", "/jobs/3/fit")]
    assert closed == [place("a", "/jobs/1/fit")]
    assert new == [*held, place("c", "/shelf", "Iris")]
    assert unknown == []
