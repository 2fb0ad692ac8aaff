from __future__ import annotations

import threading

from wattigram.core.base.cache import Cache


def test_an_answer_is_worked_out_once() -> None:
    cache, made = Cache(), []
    for _ in range(3):
        assert cache.answer("a", lambda: made.append(1) or 7) == 7  # type: ignore[func-returns-value]
    assert made == [1]
    assert len(cache) == 1


def test_nothing_is_an_answer_too() -> None:
    cache, made = Cache(), []
    for _ in range(2):
        assert cache.answer(1, lambda: made.append(1)) is None
    assert made == [1]


def test_an_answer_may_ask_for_others_and_what_fails_is_not_kept() -> None:
    cache = Cache()
    assert cache.answer("outer", lambda: 1 + cache.answer("inner", lambda: 2)) == 3
    for _ in range(2):
        try:
            cache.answer("bad", lambda: 1 // 0)
        except ZeroDivisionError:
            continue
        raise AssertionError("it failed before and cannot be known")
    assert len(cache) == 2


def test_threads_get_the_same_object() -> None:
    cache = Cache()
    begin = threading.Barrier(4)
    found: list[object] = []

    def ask() -> None:
        begin.wait()
        found.append(cache.answer("key", object))

    threads = [threading.Thread(target=ask) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(found) == 4
    assert all(one is found[0] for one in found)


def test_a_small_cache_keeps_what_was_asked_for_last() -> None:
    cache, made = Cache(2), []
    for key in ("a", "b", "a", "c", "a", "b"):
        cache.answer(key, lambda key=key: made.append(key))  # type: ignore[misc]
    assert made == ["a", "b", "c", "b"]
    assert len(cache) == 2
