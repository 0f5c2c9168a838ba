"""The logbook's tables, and what brings an older database up to date."""

from __future__ import annotations

from typing import Final

VERSION: Final = 3
TABLES: Final = """
CREATE TABLE sessions (
    id INTEGER PRIMARY KEY, begun TEXT NOT NULL, ended TEXT, note TEXT NOT NULL DEFAULT '');
CREATE TABLE attempts (
    id INTEGER PRIMARY KEY, session INTEGER REFERENCES sessions(id), at TEXT NOT NULL, plan TEXT NOT NULL,
    plan_name TEXT NOT NULL, text TEXT NOT NULL, stage TEXT NOT NULL, tempo REAL NOT NULL, target REAL,
    tempo_limit REAL, repeats INTEGER NOT NULL, verdict TEXT NOT NULL, seconds REAL NOT NULL, pace REAL,
    held_by TEXT NOT NULL DEFAULT '', load TEXT NOT NULL DEFAULT '{}', note TEXT NOT NULL DEFAULT '',
    committed TEXT NOT NULL DEFAULT '', commitment TEXT NOT NULL DEFAULT '');
CREATE TABLE takes (
    id INTEGER PRIMARY KEY, session INTEGER REFERENCES sessions(id), at TEXT NOT NULL, plan TEXT NOT NULL,
    plan_name TEXT NOT NULL, tempo REAL NOT NULL, verdict TEXT NOT NULL, found TEXT NOT NULL,
    speed TEXT NOT NULL DEFAULT '[]', note TEXT NOT NULL DEFAULT '');
CREATE INDEX takes_by_plan ON takes (plan, at);
"""
# Sums are kept as attempts are written, in the same transaction: a long log opens as quickly as a short one. Times
# are told apart by their zone, the text's end: within one the text sorts as the time does. What the pictures need of
# a plan's attempts is in the index, in the order they were made.
SUMS: Final = """
CREATE INDEX attempts_of_plan ON attempts (plan, id, at, stage, tempo, verdict, seconds);
CREATE TABLE worked (
    day TEXT NOT NULL, limb TEXT NOT NULL, seconds REAL NOT NULL, PRIMARY KEY (day, limb)) WITHOUT ROWID;
CREATE TABLE tallies (
    plan TEXT NOT NULL, zone TEXT NOT NULL, attempts INTEGER NOT NULL, seconds REAL NOT NULL, clean REAL,
    last TEXT NOT NULL, PRIMARY KEY (plan, zone)) WITHOUT ROWID;
CREATE TRIGGER attempt_added AFTER INSERT ON attempts BEGIN
    INSERT INTO tallies VALUES (new.plan, substr(new.at, -6), 1, new.seconds,
            CASE WHEN new.verdict = 'clean' AND new.stage IN ('everything', 'between grooves') THEN new.tempo END,
            new.at)
        ON CONFLICT DO UPDATE SET attempts = attempts + 1, seconds = seconds + excluded.seconds,
            clean = coalesce(max(clean, excluded.clean), clean, excluded.clean), last = max(last, excluded.last);
    INSERT INTO worked VALUES (substr(new.at, 1, 10), '', new.seconds)
        ON CONFLICT DO UPDATE SET seconds = seconds + excluded.seconds;
    INSERT INTO worked SELECT substr(new.at, 1, 10), key, coalesce(CAST(value AS REAL), 0) FROM json_each(new.load)
        WHERE true ON CONFLICT DO UPDATE SET seconds = seconds + excluded.seconds;
END;
"""
#: Sums anew, from the attempts; what may follow is WHERE, and then the groups.
TALLIED: Final = """INSERT INTO tallies SELECT plan, substr(at, -6), count(*), total(seconds),
        max(CASE WHEN verdict = 'clean' AND stage IN ('everything', 'between grooves') THEN tempo END), max(at)
    FROM attempts"""
#: What brings a database of a version to the next one.
MIGRATIONS: Final[dict[int, str]] = {
    1: f"""
DROP INDEX attempts_by_plan;
ALTER TABLE attempts ADD COLUMN committed TEXT NOT NULL DEFAULT '';
ALTER TABLE takes ADD COLUMN speed TEXT NOT NULL DEFAULT '[]';
{SUMS}
{TALLIED} GROUP BY 1, 2;
INSERT INTO worked SELECT substr(at, 1, 10), '', total(seconds) FROM attempts GROUP BY 1;
INSERT INTO worked SELECT substr(at, 1, 10), each.key, total(each.value)
    FROM attempts, json_each(attempts.load) AS each GROUP BY 1, 2;
""",
    2: """
ALTER TABLE attempts ADD COLUMN commitment TEXT NOT NULL DEFAULT '';
ALTER TABLE takes ADD COLUMN note TEXT NOT NULL DEFAULT '';
""",
}
