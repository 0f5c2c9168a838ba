"""The demo's own logbook: whole, ending yesterday, private, and never mixed with the player's."""

from datetime import datetime, timedelta

from deft_reach.store.demo_logbook import demo_logbook
from deft_reach.store.logbook import Logbook

NOW = datetime(2031, 3, 5, 9, 30).astimezone()


def test_weeks_of_practice_takes_and_a_hand_test_end_yesterday(tmp_path):
    path = demo_logbook(tmp_path, NOW)
    book = Logbook(path)
    attempts, takes = book.attempts(), book.takes()
    days = {datetime.fromisoformat(row.at).date() for row in attempts}
    assert max(days) == NOW.date() - timedelta(days=1) and (max(days) - min(days)).days > 28 and len(days) > 15
    assert {row.plan for row in takes} == {"lantern-ferry/gangway", "hand test"}
    assert all(datetime.fromisoformat(row.at) < NOW for row in takes)
    book.close()


def test_what_was_practised_on_it_stays(tmp_path):
    path = demo_logbook(tmp_path, NOW)
    before = path.read_bytes()
    assert demo_logbook(tmp_path, NOW + timedelta(days=9)) == path and path.read_bytes() == before


def test_a_copy_that_was_cut_off_is_made_again(tmp_path):
    (tmp_path / "demo-logbook.new").write_bytes(b"half")
    book = Logbook(demo_logbook(tmp_path, NOW))
    assert len(book.attempts()) > 300
    book.close()
