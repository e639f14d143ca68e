"""The demo songs' rigs, in notation, each with something to find."""

_LIGHTHOUSE = """
rig "Two sends"
guitar: source "Guitar" (level -24 dB) > squeeze: compressor (threshold -26 dB, ratio 3, make-up 2 dB) > drive1 (gain 6 dB, ceiling -12 dB, latency 1.35 ms) > pedal: volume "Volume" (position 90 %, pot 25 kΩ) > ways: split > mix: merge > main: output "Main" (stereo)
ways > bus1 > echo: delay (time 1/8.) > again: split > back1: return (level -2.5 dB, solo-safe) > mix [inverted]
again > lap: level "Back" (level -3.2 dB) > bus1
ways > send2: level "Send" > hall: reverb (pre-delay 1/64, RT60 1.8 s, low cut 150 Hz, latency 2.71 ms, mix 27 %, locked) > back2: return (level -3 dB, solo-safe) > mix
clarinet: source "Clarinet" (level -26 dB) > reedfader: fader > main [pan 20 %, level -2 dB]
scene "Verse" program 1: off echo
scene "Last chorus" program 2: on echo; back2 (level 0 dB)
"""

_INTO = (
    _LIGHTHOUSE.replace('rig "Two sends"', 'rig "Delay into reverb"')
    .replace(
        "> back1: return (level -2.5 dB, solo-safe) > mix [inverted]",
        "> back1: return (level -2.5 dB, solo-safe) > to: split > mix [inverted]\n"
        'to > part: level "Into the reverb" (level -4 dB) > join: merge',
    )
    .replace('"Send" > hall: reverb (', '"Send" > join\njoin > hall: reverb (')
)

_PEDAL_LAST = (
    _LIGHTHOUSE.replace('rig "Two sends"', 'rig "Volume pedal last"')
    .replace('> pedal: volume "Volume" (position 90 %, pot 25 kΩ) > ways', "> ways")
    .replace(
        "mix: merge > main", 'mix: merge > pedal: volume "Volume" (position 90 %, pot 25 kΩ) > main'
    )
)

_FERRY = """
rig "Dry centre, wet left and right"
board (supply 500 mA, width 600 mm, depth 320 mm)
guitar: source "Baritone guitar" (level -26 dB, gives instrument, passive) > pre: preamp "Preamp" (gain 10 dB, current 120 mA, width 120 mm, depth 130 mm) > ways: split > centre: power_amp "Centre amp" (valve) > cab1: cabinet "Centre cabinet" > room: output "Room" (stereo)
ways > d1: delay "Left delay" (time 1/4, feedback 20 %, trails, current 90 mA, width 75 mm, depth 120 mm) > amp2: power_amp "Left amp" > cab2: cabinet "Left cabinet" > room [pan -100 %, level -5 dB]
ways > d2: delay "Right delay" (time 1/8., feedback 20 %, trails, current 90 mA, width 75 mm, depth 120 mm) > amp3: power_amp "Right amp" > cab3: cabinet "Right cabinet" > room [pan 100 %, level -5 dB, inverted]
"""

_LANTERNS = """
rig "Drums in parallel"
drums: source "Hand percussion" (level -20 dB, stereo) > ways: split > main: output "Main" (stereo) [level -3 dB]
ways > loop: outboard "Outboard compressor" (latency 2.71 ms) > main [level -6 dB]
clarinet: source "Clarinet" (level -22 dB) > send1 (level -8 dB) > main [pan -25 %]
send1 > bus1 "Plate bus" > plate: reverb "Plate" (pre-delay 30 ms, RT60 2.4 s, low cut 180 Hz, locked) > plateback: return "Plate return" (level -4 dB) > main
wish must low end of returns under -24 dB
wish must louder than bare about 0 dB within 0.5 dB
wish must peak of main under -9 dBFS
"""

_THREE = """
rig "Three sources"
guitar: source "Baritone guitar" (level -20 dB) > room: send "Room" (level -9 dB) > mix: merge > main: output "Main" (stereo)
clarinet: source "Clarinet" (level -21 dB) > way: ducker "Clarinet gives way" (depth 7 dB, attack 5 ms, release 180 ms) > mix [pan 30 %, level -4 dB]
drum: source "Hand percussion" (level -20 dB) > beside: split > mix [pan -20 %, level -3 dB]
beside > squash: compressor "Compressed copy" (threshold -34 dB, ratio 8, attack 3 ms, release 120 ms, make-up 10 dB) > mix [pan -20 %, level -6 dB]
room > bus1 > hall: reverb "Hall" (pre-delay 1/64, RT60 1.6 s, low cut 180 Hz, locked) > back: return "Hall return" (level -4 dB) > mix
key guitar > way
"""

DEMO_TEST_SETS = ("Three sources",)
"""Rigs whose sources have a clip each from the beginning."""

# Song title, rig name, [(variant name, notation)].
DEMO_RIGS: tuple[tuple[str, str, tuple[tuple[str, str], ...]], ...] = (
    (
        "Paper Lighthouse",
        "Two sends",
        (("Two sends", _LIGHTHOUSE), ("Delay into reverb", _INTO), ("Volume pedal last", _PEDAL_LAST)),
    ),
    (
        "Paper Lighthouse",
        "Three sources",
        (
            ("Three sources", _THREE),
            ("Without the copy", _THREE.replace('rig "Three sources"', 'rig "Without the copy"').replace("level -6 dB]", "level -6 dB, muted]")),
        ),
    ),
    ("Ferry in Fog", "Three amps", (("Wet, dry, wet", _FERRY),)),
    ("Nine Lanterns", "Drums in parallel", (("Outboard beside", _LANTERNS),)),
)  # fmt: skip
