"""A reader of logbooks, written from docs/logbook.md alone: what it finds is held against what Zany Compass finds.

It plays nothing, for it knows no rules. It reads the lines, the digests of the file and of a situation that is written out,
follows the changes, and rolls every die again from the seed. Prints one JSON object for each file it is given.
"""

import hashlib
import json
import re
import sys

STEP = {"step": int, "time": str, "input": dict, "dice": list, "states": list, "notes": list, "changes": list}
REFUSED = {"refused": dict, "after": int, "time": str, "code": str, "words": str}
CLOSING = {"steps": int, "digest": str, "file": str}


class Stream:
    """The words of a stream of dice: the key stream of ChaCha20."""

    def __init__(self, seed, *names):
        key = hashlib.sha256(b"\0".join(text.encode() for text in (seed, *names))).digest()
        self.key = [int.from_bytes(key[i : i + 4], "little") for i in range(0, 32, 4)]
        self.taken = 0
        self.block = (-1, [])

    def word(self):
        number = self.taken // 16
        if self.block[0] != number:
            self.block = (number, chacha20(self.key, number))
        self.taken += 1
        return self.block[1][(self.taken - 1) % 16]

    def below(self, n):
        if n <= 2**32:
            while True:
                x = self.word()
                if x < 2**32 - 2**32 % n:
                    return x % n
        while True:
            high = self.word() % 2**21
            x = high * 2**32 + self.word()
            if x < 2**53 - 2**53 % n:
                return x % n

    def unit(self):
        a = self.word() >> 5
        return (a * 2**26 + (self.word() >> 6)) / 2**53

    def roll(self, shown, value):
        if shown.startswith("weights"):
            if "..." in shown:
                raise NotImplementedError(shown)
            weights = [int(w) for w in shown[8:].split(", ")]
            left, index = self.below(sum(weights)), 0
            while left >= weights[index]:
                left, index = left - weights[index], index + 1
            return index
        if shown.endswith("%"):
            return self.unit() * 100 < float(shown[:-1])
        if " in " in shown:
            a, b = shown.split(" in ")
            return self.below(int(b)) < int(a)
        low, high = shown.split("..")
        if isinstance(value, float) or not re.fullmatch(r"-?\d+", low + high.lstrip("-")):
            return float(low) + self.unit() * (float(high) - float(low))
        return int(low) + self.below(int(high) - int(low) + 1)


def chacha20(key, block):
    state = [0x61707865, 0x3320646E, 0x79622D32, 0x6B206574, *key, block, 0, 0, 0]
    x = state[:]

    def quarter(a, b, c, d):
        for to, of, by, turn in ((a, b, d, 16), (c, d, b, 12), (a, b, d, 8), (c, d, b, 7)):
            x[to] = (x[to] + x[of]) % 2**32
            mixed = x[by] ^ x[to]
            x[by] = (mixed << turn | mixed >> 32 - turn) % 2**32

    for _ in range(10):
        for i in range(4):
            quarter(i, 4 + i, 8 + i, 12 + i)
        for i in range(4):
            quarter(i, 4 + (i + 1) % 4, 8 + (i + 2) % 4, 12 + (i + 3) % 4)
    return [(a + b) % 2**32 for a, b in zip(x, state)]


def at_path(place, path, value, gone):
    *way, last = [part.replace("~1", "/").replace("~0", "~") for part in path.split("/")[1:]]
    for part in way:
        place = place[int(part)] if isinstance(place, list) else place[part]
    if isinstance(place, list):
        place[int(last)] = value
    elif gone:
        del place[last]
    else:
        place[last] = value


def fits(line, members):
    return isinstance(line, dict) and all(isinstance(line.get(name), kind) for name, kind in members.items())


def read(raw, machine):
    """What there is to say of a file: its kind and line, the data at its end, and how many rolls are the seed's."""
    lines = raw.split(b"\n")
    if lines and lines[-1] == b"":
        lines.pop()
    if not lines:
        return {"kind": "foreign", "line": 1}
    try:
        header = json.loads(lines[0].decode())
        assert header["zany"] == "logbook"
    except (ValueError, KeyError, TypeError, AssertionError):
        return {"kind": "foreign", "line": 1}
    if header.get("format") != 3:
        return {"kind": "otherFormat", "line": 1}
    if header["machine"]["name"] != machine:
        return {"kind": "foreign", "line": 1}
    begun = header.get("from", {}).get("dice", {})
    steps, closing, digest = [], None, hashlib.sha256(lines[0] + b"\n")
    streams, rolls, wrong, situation = {}, 0, None, {}
    out_of_order = None
    for number, line in enumerate(lines[1:], 2):
        if closing:
            return {"kind": "tampered", "line": number}
        last = number == len(lines)
        try:
            step = json.loads(line.decode())
        except ValueError:
            return {"kind": "truncated" if last else "tampered", "line": number}
        if isinstance(step, dict) and step.get("end") is True:
            if not fits(step, CLOSING) or line.endswith(b"\r"):
                return {"kind": "tampered", "line": number}
            closing = step
            continue
        digest.update(line + b"\n")
        if isinstance(step, dict) and "refused" in step:
            if not fits(step, REFUSED) or step["refused"].get("kind") not in ("action", "event", "join", "leave"):
                return {"kind": "tampered", "line": number}
            if step["after"] != len(steps) - 1 and not out_of_order:
                out_of_order = number
            continue
        if not fits(step, STEP) or not re.fullmatch(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z", step["time"]):
            return {"kind": "tampered", "line": number}
        if step["step"] != len(steps) and not out_of_order:
            out_of_order = number
        steps.append(step["step"])
        if out_of_order:
            continue
        for die in step["dice"]:
            names = [die.get("stream", "main")] + ([die["seat"]] if "seat" in die else [])
            if tuple(names) not in streams:
                streams[tuple(names)] = stream = Stream(header["seed"], *names)
                # A match that goes on from a situation goes on with its dice.
                taken = begun.get(names[0], 0)
                stream.taken = taken.get(names[1], 0) if len(names) > 1 and taken else taken
            stream = streams[tuple(names)]
            value = stream.roll(die["range"], die["value"])
            rolls += 1
            if value != die["value"] and "dice" not in step["input"] and not wrong:
                wrong = {"rolled": value, "step": step["step"]}
        for change in step["changes"]:
            at_path(situation, change["path"], change.get("value"), "value" not in change)
    if not closing:
        return {"kind": "truncated", "line": len(lines)}
    if out_of_order:
        whole = sorted(steps) == list(range(closing["steps"] + 1))
        return {"kind": "reordered" if whole else "tampered", "line": out_of_order}
    if digest.hexdigest() != closing["file"] or closing["steps"] != len(steps) - 1:
        return {"kind": "tampered"}
    return {"kind": "whole", "rolls": rolls, "wrong": wrong, "data": situation.get("data")}


for path, machine in (pair.split("=") for pair in sys.argv[1:]):
    with open(path, "rb") as file:
        print(json.dumps(read(file.read(), machine)))
