#!/usr/bin/env bash
# Makes the guide's sentences with a free synthesiser (Debian's espeak-ng). Their WAV files are committed; run this only to change them.
set -eu
cd "$(dirname "$0")/speech"
say() { espeak-ng -v en-gb -s "$3" -p "$4" -g 4 -w "$1.wav" "$2"; }
say welcome "Good evening. This is Harrow Mill, and the night shift is about to begin." 150 42
say shuttle "On your left, the shuttle looms. Each shuttle flies two hundred times an hour." 152 42
say shuttle-false-start "On your left, the shuttle, the" 152 42
say treadle "On your right, the treadle looms, slower, and older than the roof." 148 41
say sleep "The looms never sleep, they say. We only dim the lamps." 146 43
say oil "Oil and river water. You will smell both before you see either." 150 42
say bell "When the break bell rings, the hum choir sings from the gallery." 151 42
say lights "And now, lights out. Mind the step as you leave." 144 40
