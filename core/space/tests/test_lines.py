"""Energies of the reverb's lines, against phases drawn at random and laps added one by one."""

import unittest

import numpy as np

from core.space.lines import LENGTHS_MS, low_transfer, tail_power

MIX = np.array([[1.0]])
for _ in range(3):
    MIX = np.block([[MIX, MIX], [MIX, -MIX]]) / np.sqrt(2)
EVEN = np.arange(8) % 2 == 0


def heard(through: np.ndarray) -> np.ndarray:
    """(n, 2, 2): out by in, of lines that pass `through` (n, 8), lap by lap until nothing is left."""
    lines = np.zeros((len(through), 8, 2), complex)
    lines[:, EVEN, 0] = lines[:, ~EVEN, 1] = 0.5
    signs = np.stack([np.ones(8), np.where(EVEN, 1.0, -1.0)]) / np.sqrt(2)
    found = np.zeros((len(through), 2, 2), complex)
    while np.abs(lines).max() > 1e-4:
        came = through[:, :, None] * lines
        found += np.einsum("oj,njs->nos", signs, came)
        lines = np.einsum("ij,njs->nis", MIX, came)
    return found


def powers(response: np.ndarray, into: tuple[complex, complex, complex]) -> np.ndarray:
    """(4,): mean power out, of left, right and common power in."""
    left, right, common = into
    power = np.array([[left, common], [np.conj(common), right]])
    out = np.einsum("nij,jk,nlk->il", response, power, np.conj(response)) / len(response)
    return np.array([out[0, 0].real, out[1, 1].real, out[0, 1].real, out[0, 1].imag])


class TailPower(unittest.TestCase):
    """Ways of the same lines in another order arrive at one time, and add as amplitudes."""

    def test_against_lines_of_any_length(self):
        rng = np.random.default_rng(7)
        lengths = np.array(LENGTHS_MS) / np.mean(LENGTHS_MS)
        for lap_db in (1.0, 2.5, 6.0, 15.0):
            gains = 10 ** (-lap_db / 20 * lengths)
            turns = np.exp(2j * np.pi * rng.random((16_000, 8)))
            response = heard(gains * turns)
            kernel = tail_power((gains**2)[:, None], np.array([1 + 0j]), 1.0)[:, :, 0]
            for into in ((1, 0, 0), (0, 1, 0), (0.5, 0.5, 0.5), (0.5, 0.5, -0.3)):
                with self.subTest(lap_db, into=into):
                    row = np.array([into[0], into[1], into[2], 0.0])
                    want = powers(response, into)
                    scale = want[0] + want[1]
                    np.testing.assert_allclose(kernel @ row, want, atol=0.04 * scale)

    def test_the_lowest_octaves_are_those_of_the_lines_themselves(self):
        lengths = (1423, 1597, 1787, 2011, 2099, 2269, 2591, 2851)
        gains = 10 ** (-3 * np.array(lengths) / 48_000 / 0.9)
        hz = np.arange(20.0, 260.0, 0.5)
        turns = np.exp(-2j * np.pi * hz[:, None] * np.array(lengths) / 48_000)
        want = heard(gains * turns)
        got = low_transfer(lengths, gains[:, None] * np.ones(len(hz)))
        np.testing.assert_allclose(np.moveaxis(got, 2, 0), want, atol=2e-3)
