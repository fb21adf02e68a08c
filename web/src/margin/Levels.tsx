/** Sound and level of the click, of what is played and of playback, each by itself; which beats are clicked. */
import { CLICK_SOUNDS, useSound, type ClickSound, type Rank } from '../playback/engine'

const RANKS: readonly (readonly [Rank, string])[] = [
  ['bar', 'bars'],
  ['strong', 'strong beats'],
  ['beat', 'beats'],
  ['half', 'parts of beats'],
]

export function Levels() {
  const { levels, ranks, click, pitch, halves, playbackClick, set } = useSound()
  return (
    <fieldset className="mt-2 flex flex-col gap-1.5 border-t border-rule pt-2">
      <legend className="sr-only">Click and levels</legend>
      {(['click', 'playing', 'playback'] as const).map((of) => (
        <label key={of} className="flex items-center justify-between gap-2">
          {of === 'playing' ? 'What I play' : of === 'click' ? 'Click' : 'Playback'}
          <input
            type="range"
            min={0}
            max={150}
            value={levels[of]}
            aria-label={`level of ${of}`}
            onChange={(e) => set({ levels: { ...levels, [of]: Number(e.target.value) } })}
            className="w-32"
          />
          <span className="w-10 text-right text-sm text-faint">{levels[of]} %</span>
        </label>
      ))}
      <label className="flex items-center justify-between gap-2">
        Sound of the click
        <select value={click} onChange={(e) => set({ click: e.target.value as ClickSound })} className="field">
          {Object.keys(CLICK_SOUNDS).map((s) => (
            <option key={s}>{s}</option>
          ))}
        </select>
      </label>
      <label className="flex items-center justify-between gap-2">
        Its pitch, in semitones
        <input
          type="number"
          min={-24}
          max={24}
          value={pitch}
          onChange={(e) => set({ pitch: Number(e.target.value) })}
          className="field w-16"
        />
      </label>
      <p className="flex flex-wrap items-center gap-x-3">
        Clicks
        {RANKS.map(([rank, words]) => (
          <label key={rank}>
            <input
              type="checkbox"
              checked={ranks[rank]}
              onChange={(e) => set({ ranks: { ...ranks, [rank]: e.target.checked } })}
            />{' '}
            {words}
          </label>
        ))}
      </p>
      <label className="flex items-center justify-between gap-2">
        Parts of beats
        <select
          value={halves === null ? 'by meter' : halves ? 'always' : 'never'}
          onChange={(e) => set({ halves: e.target.value === 'by meter' ? null : e.target.value === 'always' })}
          className="field">
          <option>by meter</option>
          <option>always</option>
          <option>never</option>
        </select>
      </label>
      <label>
        <input type="checkbox" checked={playbackClick} onChange={(e) => set({ playbackClick: e.target.checked })} /> The
        click in playback, too
      </label>
    </fieldset>
  )
}
