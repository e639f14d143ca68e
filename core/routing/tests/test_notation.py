"""The notation: there and back without loss, ids kept, errors that point at the place."""

import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from core.routing import TEMPLATES, NotationError, RigError, build, format_rig, load_rig, parse_rig
from core.routing.document.fields import parameters_of
from core.routing.document.kinds import KINDS, STAGE_KINDS
from core.routing.document.rig import Board, Intended, Rail, Rig, Scene, Strip
from core.routing.edit.actions import AddSend, Insert, Parallel, SetCable, SetStrip
from core.routing.edit.perform import perform


def grown(seed: int, steps: int = 12):
    """A rig that random actions made: splits, sends and stages of every kind."""
    rng = random.Random(seed)
    rig = build(TEMPLATES[rng.randrange(len(TEMPLATES))])
    for _ in range(steps):
        port = rng.choice(sorted(rig.rails))
        kind = rng.choice([k for k in STAGE_KINDS if k not in ("frame", "ducker")])
        action = rng.choice(
            [
                Insert(
                    at=port, kind=kind, values={"name": 'A "b"\\ c' if rng.random() < 0.3 else None}
                ),
                Parallel(start=port, kind=kind, mode=rng.choice(["full", "crossover", "balance"])),
                AddSend(at=port, kind="delay", level_db=rng.choice([-6.25, 0, -120])),
                SetStrip(
                    rail=port, values={"pan_percent": -30.5, "inverted": True, "delay_ms": 1.25}
                ),
                SetCable(
                    rail=port,
                    values={
                        "to_jack": 'Jack "2", (left)',
                        "length_m": 0.15,
                        "carries": "stereo",
                        "counts": rng.choice(["auto", "yes", "no"]),
                    },
                ),
            ]
        )
        try:
            rig = perform(rig, action).rig
        except RigError:
            continue
    return rig


class RoundTrip(unittest.TestCase):
    def test_outputs_that_are_left_free_stay_free(self):
        for text, ports in (
            ("g: source > s: split > m: merge > o: output\ns.3 > l: level > m", ["s.0", "s.2"]),
            (
                "g: source > s: split\ns.2 > m: merge > o: output\ns.4 > l: level > m\ns.7 > m",
                ["s.1", "s.3", "s.6"],
            ),
            # Nothing comes into it, and it has settings of its own.
            (
                "s: split (mode crossover, crossover 500 Hz)\ns.2 > m: merge > o: output\ng: source > m",
                ["s.1"],
            ),
        ):
            rig = parse_rig(text)
            again = parse_rig(format_rig(rig))
            self.assertEqual(again, rig, format_rig(rig))
            self.assertEqual(sorted(p for p in again.rails if p.startswith("s.")), ports)

    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 10_000))
    def test_text_and_json_give_the_same_rig_back(self, seed):
        rig = grown(seed)
        self.assertEqual(parse_rig(format_rig(rig)), rig)
        self.assertEqual(load_rig(rig.model_dump(mode="json")), rig)

    @settings(max_examples=200, deadline=None)
    @given(st.data())
    def test_any_text_and_any_number_come_back_the_same(self, data):
        """A document filled at random: names, titles and reasons of any letters, numbers of any digits."""
        words = st.text(st.characters(exclude_categories=["Cs"]), max_size=40)
        nodes = {"s": KINDS["source"](id="s", name=data.draw(words)), "o": KINDS["output"](id="o")}
        rails, before = {}, "s"
        for at, name in enumerate(data.draw(st.lists(st.sampled_from(STAGE_KINDS), max_size=4))):
            if name == "frame":
                continue
            values = {"id": f"x{at}", "name": data.draw(st.none() | words)}
            for one in data.draw(st.lists(st.sampled_from(parameters_of(KINDS[name])), max_size=5)):
                if one.sort in ("number", "whole"):
                    low, high = (one.low or 0.0, one.high if one.high is not None else 1e9)
                    floats = st.floats(low, high, allow_subnormal=False)
                    value = data.draw(
                        floats if one.sort == "number" else st.integers(int(low), int(high))
                    )
                else:
                    value = data.draw({
                        "flag": st.booleans(), "text": words, "time": words.filter(bool),
                        "choice": st.sampled_from(one.values or (None,)),
                    }[one.sort])  # fmt: skip
                if not (one.sort == "time" and len(value) > 40):
                    values[one.field] = value
            nodes[f"x{at}"] = KINDS[name].model_validate(values)
            rails[f"{before}.0"] = Rail(target=f"x{at}")
            before = f"x{at}"
        strip = Strip(
            level_db=data.draw(st.floats(-120, 60)), pan_percent=data.draw(st.floats(-100, 100))
        )
        rails[f"{before}.0"] = Rail(target="o", strip=strip)
        rig = Rig(
            title=data.draw(words.filter(bool)), nodes=nodes, rails=rails,
            scenes=(Scene(name=data.draw(words.filter(bool)), values={"s": {"name": data.draw(words)}}),),
            intended=(Intended(check=data.draw(words.filter(bool)), at=data.draw(words), reason=data.draw(words)),),
            board=Board(supply_ma=data.draw(st.floats(0, 20_000))),
        )  # fmt: skip
        self.assertEqual(parse_rig(format_rig(rig)), rig)

    def test_pan_law_0_and_other_things_that_were_lost(self):
        for law in ("0", "-3", "-4.5", "-6"):
            rig = parse_rig(f"s: source > o: output (stereo, pan law {law})")
            self.assertEqual(rig.nodes["o"].pan_law, law)
            self.assertEqual(parse_rig(format_rig(rig)), rig)
        for name in (
            "ends \\",
            'a \\" b',
            "two\nlines",
            "\r\n",
            "\x85 \u2028 #",
            "mix: reverb",
            "x > y",
        ):
            rig = parse_rig("s: source > mix: merge > o: output")
            named = rig.model_copy(
                update={"nodes": {**rig.nodes, "mix": rig.nodes["mix"].model_copy(update={"name": name})}}
            )  # fmt: skip
            self.assertEqual(parse_rig(format_rig(named)), named, repr(name))
        level = parse_rig("s: source > l: level (level -3.0102999566398120 dB) > o: output")
        self.assertEqual(level.nodes["l"].level_db, -3.010299956639812)
        self.assertEqual(parse_rig(format_rig(level)), level)

    def test_more_parts_than_a_rig_has_are_refused_where_they_begin(self):
        with self.assertRaisesRegex(RigError, "up to 600 parts"):
            parse_rig("s: source" + " > level" * 5000 + " > o: output")

    def test_everything_else_that_a_rig_holds(self):
        text = """
            rig "All \\"of\\" it"
            board (supply 500 mA, volts 12 V, width 600 mm, depth 300 mm)
            guitar: source "Baritone" (level -16 dB, gives instrument, passive) > f: frame > main: output (stereo)
            talk: source > ducker1 > main  # a comment
            siding f 1 > compressor1 (ratio 8:1)
            siding f 4 > delay1 "Slap \\"2\\"" (time 20 ms)
            line f: 4 1
            line f "Delay last: mine": 1 4
            line f "Bare": none
            beside f stop 1 (mix 40 %, level -1 dB)
            key guitar.in > ducker1
            scene "Verse" program 3: off f; on ducker1; f (output -3 dB, line 1)
            keep late-path at main "as we like it"
        """
        rig = parse_rig(text)
        self.assertEqual(parse_rig(format_rig(rig)), rig)
        self.assertEqual(rig.keys["ducker1"].at, "in")
        self.assertEqual(rig.scenes[0].values, {"f": {"output_db": -3.0, "calls": [1]}})
        self.assertEqual(rig.nodes["f"].beside[0].mix_percent, 40)
        self.assertEqual(rig.nodes["f"].calls, (4, 1))
        self.assertEqual([x.calls for x in rig.nodes["f"].lines], [(1, 4), ()])
        self.assertEqual(rig.intended[0].reason, "as we like it")
        self.assertEqual(rig.board.supply_v, 12)

    def test_bare_kinds_keep_the_ids_they_had(self):
        before = parse_rig("guitar: source > squeeze: compressor > main: output")
        after = parse_rig("guitar: source > compressor (ratio 8) > delay > main: output", before)
        self.assertEqual(after.nodes["squeeze"].ratio, 8)
        self.assertIn("delay1", after.nodes)

    def test_words_of_the_trade_are_understood(self):
        rig = parse_rig("g: source > comp > eq > aux > out\naux1 > verb > out1 [flip, mute]")
        kinds = [type(n).title for n in rig.nodes.values()]
        self.assertEqual(kinds, ["Source", "Compressor", "Equaliser", "Send", "Output", "Reverb"])
        self.assertTrue(rig.rails["reverb1.0"].strip.inverted)
        self.assertTrue(rig.rails["reverb1.0"].strip.muted)


class Errors(unittest.TestCase):
    def test_each_points_at_its_place(self):
        for text, line, column, words in [
            ("a: source > compresor > b: output", 1, 13, "Did you mean compressor?"),
            (
                "\na: source > b: delay (tme 3)",
                2,
                23,
                "“tme 3” is no setting here. Did you mean time?",
            ),
            ("a: source > b: delay (mix 30 dB)", 1, 30, "mix is in %, not “dB”"),
            (
                "a: source > b: delay (mix 130 %)",
                1,
                23,
                "mix: input should be less than or equal to 100",
            ),
            ("a: source >", 1, 11, "name where it goes"),
            ("a: source > o: output > level", 1, 13, "nothing can leave o"),
            ("a: source (level loud)", 1, 18, "“loud” is not a number"),
            ('a: source "x', 1, 11, "a quote is opened and not closed"),
            ("a: source\nkey b > a", 2, 5, "there is no “b”"),
            ("a: source > b: delay (mode sideways)", 1, 28, "mode is one of single, dual"),
            ("a: source > b: level > c: level\na > d: output", 2, 1, "a has no output left"),
            ("a: source > b: level (level -3 dB)\nb: level", 2, 1, "described already"),
            ("scene Verse: off a", 1, 1, 'a scene reads: scene "Verse"'),
        ]:
            with self.subTest(text):
                with self.assertRaises(NotationError) as caught:
                    parse_rig(text)
                self.assertIn(words, caught.exception.sentence)
                self.assertEqual((caught.exception.line, caught.exception.column), (line, column))

    def test_too_much_is_refused_at_once(self):
        with self.assertRaisesRegex(RigError, "10000 lines; up to 4000.*kept"):
            parse_rig("a: source\n" * 10_000)
        with self.assertRaisesRegex(RigError, "600|most"):
            parse_rig("\n".join(f"s{i}: source" for i in range(700)))


class Versions(unittest.TestCase):
    def test_an_old_document_is_brought_up_step_by_step(self):
        old = {
            "title": "Old",
            "nodes": [{"id": "a", "kind": "source"}, {"id": "o", "kind": "output"}],
            "arcs": [{"from": "a", "to": "o", "strip": {"level_db": -3}}],
        }
        self.assertEqual(load_rig(old).rails["a.0"].strip.level_db, -3)

    def test_an_unknown_version_is_kept_and_said(self):
        with self.assertRaisesRegex(RigError, "written by version 9.*kept as it is"):
            load_rig({"version": 9})

    def test_documents_that_do_not_hang_together(self):
        part = {"a": {"kind": "source", "id": "a"}, "b": {"kind": "level", "id": "b"}}
        for rails, words in [
            ({"a.0": {"target": "nowhere"}}, "which is not there"),
            ({"a.3": {"target": "b"}}, "has no output 3"),
            ({"b.0": {"target": "a"}}, "nothing can go into it"),
            ({"a.0": {"target": "b"}, "b.0": {"target": "b"}}, "takes one input"),
            ({"a.0": {"target": "b", "strip": {"level_db": -1}}}, "is no merge"),
        ]:
            with self.subTest(words), self.assertRaisesRegex(RigError, words):
                load_rig({"version": 1, "nodes": part, "rails": rails})


class EveryField(unittest.TestCase):
    def other(self, parameter, model):
        """Some value of a field that is not its default, and lies in its range."""
        if parameter.sort == "flag":
            return parameter.default is not True
        if parameter.sort == "choice":
            word = next(c for c in parameter.choices if c != str(parameter.default))
            return int(word) if word.isdigit() else word
        if parameter.sort == "text":
            return 'A "quoted" name, with (all) > of; it'
        if parameter.sort == "time":
            return "1/16T"
        low = 1.0 if parameter.low is None else parameter.low
        high = 100.0 if parameter.high is None else parameter.high
        for share in (0.31, 0.62, 0.9):
            value = low + (high - low) * share
            value = round(value) if parameter.sort == "whole" else round(value, 3)
            if value != parameter.default:
                return value
        raise AssertionError(parameter.field)

    def test_every_field_of_every_kind_survives_being_written(self):
        for kind, model in KINDS.items():
            for parameter in parameters_of(model):
                value = self.other(parameter, model)
                try:
                    node = model(id="x", **{parameter.field: value})
                except ValueError:
                    continue  # contradicts another field of the kind
                rig = load_rig({"version": 1, "nodes": {"x": node.model_dump()}, "rails": {}})
                with self.subTest(kind=kind, field=parameter.field):
                    self.assertEqual(parse_rig(format_rig(rig)), rig)
