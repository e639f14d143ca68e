/** The song's sample rate: what a time is in samples. */
import { useSongContext } from "../../song/context";
import { Choice } from "../../ui/QuantityField";

const RATES = [44_100, 48_000, 88_200, 96_000, 176_400, 192_000];

export function RateChoice() {
  const { song, edit } = useSongContext();
  const rates = RATES.includes(song.sample_rate_hz) ? RATES : [song.sample_rate_hz, ...RATES];
  return (
    <Choice
      aria-label="Sample rate"
      width="auto"
      paddingInline="4px"
      value={song.sample_rate_hz}
      onChange={(event) => edit({ sample_rate_hz: Number(event.target.value) })}
    >
      {rates.map((rate) => (
        <option key={rate} value={rate}>
          {Number((rate / 1000).toFixed(2))} kHz
        </option>
      ))}
    </Choice>
  );
}
