/** How far something is that takes a while, and its stop. */
export function Progress({ words, share, onStop }: { words: string; share: number; onStop: () => void }) {
  return (
    <section className="border-l-2 border-verdigris pl-3" data-testid="busy">
      <h2 className="font-serif text-lg text-verdigris" role="status">
        {words}
      </h2>
      <div
        className="mt-1 h-[3px] w-40 overflow-hidden rounded bg-rule"
        role="progressbar"
        aria-label={words}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(share * 100)}>
        {share > 0 ? (
          <div className="h-full bg-verdigris" style={{ width: `${share * 100}%` }} />
        ) : (
          <div className="busy-bar h-full w-1/3 bg-verdigris" />
        )}
      </div>
      <button type="button" className="quiet-button mt-1" onClick={onStop}>
        Stop
      </button>
    </section>
  )
}
