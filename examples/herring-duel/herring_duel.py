"""The herring duel of the fish market, as a small game of its own: it plays a match and writes its log.

    python3 herring_duel.py --seed 7 > match.log

It knows nothing of machines. Its log is JSON Lines, as this game happens to write them; herring.map says
what they mean.
"""

import argparse
import json
import random

# What a fish needs to hit, and what it soaks beside the roll.
FISH = {"COD": (4, 2), "HERRING": (2, 0), "EEL": (3, 1)}
NAMES = ["mira", "olle"]
ROUNDS = 8
SECONDS = 30


class Duel:
    def __init__(self, seed):
        self.dice = random.Random(seed)
        self.time = 0.0
        self.clean = [9, 9]
        self.ducking = [False, False]
        self.left = [{"COD": 2, "HERRING": 99, "EEL": 1} for _ in NAMES]

    def tell(self, ev, **what):
        print(json.dumps({"t": round(self.time, 3), "ev": ev, **what}))

    def play(self):
        self.tell("match", players=NAMES)
        for number in range(1, ROUNDS + 1):
            first = self.dice.randint(0, 1)
            self.tell("round", n=number, first=first)
            for who in (first, 1 - first):
                self.turn(who)
                if 0 in self.clean:
                    self.over("SOAKED", 1 - self.clean.index(0))
                    return
        self.over("BELL", 0 if self.clean[0] >= self.clean[1] else 1)

    def turn(self, who):
        self.ducking[who] = False
        thinks = self.dice.uniform(2, 33)
        if thinks >= SECONDS:
            # The clock of a game is never quite exact.
            self.time += SECONDS + self.dice.uniform(0, 0.015)
            self.tell("timeout", p=who)
            return
        self.time += thinks
        if self.dice.random() < 0.25:
            self.ducking[who] = True
            self.tell("duck", p=who)
            return
        fish = self.dice.choice([name for name, left in self.left[who].items() if left > 0])
        self.left[who][fish] -= 1
        self.throw(who, fish)

    def throw(self, who, fish):
        other = 1 - who
        needed, heavy = FISH[fish]
        roll = {"aim": self.dice.randint(1, 6)}
        if self.ducking[other]:
            needed += 2
        if roll["aim"] >= needed:
            # The faces of this die are counted from 0 in the log.
            roll["soak"] = self.dice.randint(0, 2)
            self.clean[other] = max(0, self.clean[other] - (roll["soak"] + 1) - heavy)
        self.tell("throw", p=who, fish=fish, roll=roll, after={"clean": self.clean[:]})

    def over(self, reason, winner):
        self.tell("match_end", reason=reason, winner=winner)


if __name__ == "__main__":
    reader = argparse.ArgumentParser(description="Plays a herring duel and writes its log.")
    reader.add_argument("--seed", type=int, default=1)
    Duel(reader.parse_args().seed).play()
