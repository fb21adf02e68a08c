/** A mark is chosen on the sheet: the line speaks of it, and each phrase is an edit of it. */
import { Now, OpenPhrase, Tail } from '../Phrase'
import { editMarks, pickMarks, usePage } from '../../session/chosen'

const NUDGE = 5 // tenths of a staff space

export function MarkLine() {
  const marks = usePage((s) => s.marks)
  if (!marks) return null
  return (
    <>
      <span className="font-bold text-vermilion" data-testid="mark-words">
        {marks.words}
      </span>
      :{' '}
      {marks.text && (
        <>
          <Tail>
            <OpenPhrase closes name="reads" words="another in its place">
              <Reword text={marks.text} />
            </OpenPhrase>
          </Tail>{' '}
        </>
      )}
      {marks.movable && (
        <>
          move it{' '}
          <Now act={() => editMarks({ name: 'nudge-marks', up: NUDGE })} command="note-up">
            up
          </Now>
          ,{' '}
          <Now act={() => editMarks({ name: 'nudge-marks', up: -NUDGE })} command="note-down">
            down
          </Now>
          ,{' '}
          <Now act={() => editMarks({ name: 'nudge-marks', right: -NUDGE })} command="note-earlier">
            left
          </Now>{' '}
          or{' '}
          <Tail>
            <Now act={() => editMarks({ name: 'nudge-marks', right: NUDGE })} command="note-later">
              right
            </Now>
          </Tail>{' '}
          {marks.part && (
            <>
              <Tail>
                <Now act={() => editMarks({ name: 'flip-marks' })}>to the other side</Now>
              </Tail>{' '}
            </>
          )}
          {marks.bends && (
            <>
              bent{' '}
              <Now act={() => editMarks({ name: 'bend-slurs', up: NUDGE })} command="octave-up-notes">
                upwards
              </Now>{' '}
              or{' '}
              <Tail>
                <Now act={() => editMarks({ name: 'bend-slurs', up: -NUDGE })} command="octave-down-notes">
                  downwards
                </Now>
              </Tail>{' '}
            </>
          )}
          {marks.moved && (
            <>
              <Tail>
                <Now act={() => editMarks({ name: 'marks-in-place' })} command="return">
                  back in its own place
                </Now>
              </Tail>{' '}
            </>
          )}
        </>
      )}
      {marks.spans && <>its ends are dragged on the sheet, </>}
      <Tail end=";">
        <Now
          act={() => {
            editMarks({ name: 'drop-marks' })
          }}
          command="delete">
          take it away
        </Now>
      </Tail>{' '}
      <Tail end=".">
        <Now act={() => pickMarks([])}>done</Now>
      </Tail>
    </>
  )
}

function Reword({ text }: { text: string }) {
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        editMarks({ name: 'reword', text: String(new FormData(e.currentTarget).get('text')) })
      }}>
      <label>
        In place of {text}: <input name="text" required autoFocus maxLength={60} className="field w-28" />
      </label>
      <button type="submit" className="quiet-button">
        Write it
      </button>
    </form>
  )
}
