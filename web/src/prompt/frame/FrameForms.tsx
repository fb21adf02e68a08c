/** Small forms that the phrases of the frame share. */

export const formText = (form: HTMLFormElement, name: string) => String(new FormData(form).get(name) ?? '').trim()

/** A small form with one field. */
export function One({
  label,
  name,
  value,
  give,
  number,
  className,
}: {
  label: string
  name: string
  value?: string | number
  give: (text: string) => void
  number?: boolean
  className?: string
}) {
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        give(formText(e.currentTarget, name))
      }}>
      <label className="flex-1">
        {label}{' '}
        <input
          name={name}
          autoFocus
          defaultValue={value ?? ''}
          type={number ? 'number' : 'text'}
          step="any"
          maxLength={200}
          className={`field ${className ?? 'w-28'}`}
        />
      </label>
      <button type="submit" className="quiet-button">
        Set
      </button>
    </form>
  )
}
