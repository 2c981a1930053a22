/** Where letters and digits are text. */
const TYPING = 'textarea, select, [contenteditable]:not([contenteditable="false"]), input:not([type=checkbox], [type=radio], [type=button], [type=range])'
/** What Space and Enter press. Some leave Enter to the stage: it does there what the thing stands for. */
const PRESSED = 'button, a[href], summary, input, [role=button], [role=tab], [role=option], [role=menuitem], [role=switch], [role=checkbox], [role=radio]'
/** What arrows move. */
const MOVED = 'input[type=radio], input[type=range], [role=radio], [role=slider], [role=listbox], [role=menu], [role=menuitem], [role=tab], [role=tree]'
/** A thing that leaves Enter to the stage, and one that keeps the focus though it was clicked: its own keys are to follow. */
export const ENTER_IS_THE_STAGES = { 'data-enter': 'stage' }
export const KEEPS_FOCUS = { 'data-focus': 'kept' }

const isElement = (target: EventTarget | null): target is Element => target instanceof Element

/**
 * Whether a key belongs to what has the focus: text that is typed, a button that is pressed alone, a choice that arrows
 * change, a dialog over the page. All other keys are the stage's, whatever was clicked before.
 */
export function belongsToFocus({ target, key }: Pick<KeyboardEvent, 'target' | 'key'>): boolean {
  if (!isElement(target)) return false
  if (target.closest('[role=dialog]') || target.matches(TYPING)) return true
  // What keeps the focus only for keys of its own does not take Space from the stage.
  if (key === ' ' && target.matches('[data-focus=kept]')) return false
  if (key === ' ' || key === 'Enter') return target.matches(PRESSED) && !(key === 'Enter' && target.matches('[data-enter=stage]'))
  return /^(Arrow|Home|End)/.test(key) && target.matches(MOVED)
}

/**
 * A control that was clicked with the mouse gives the focus back: Space plays again, and does not press it twice. Who
 * goes from control to control by Tab keeps it.
 */
export function giveFocusBack(event: MouseEvent): void {
  // Enter and Space click too, but not with a finger or a mouse.
  if (event.detail === 0) return
  const chosen = isElement(event.target) && event.target.closest('[role=option], .ant-select-item-option') !== null
  const giveBack = () => {
    const active = document.activeElement
    if (!(active instanceof HTMLElement) || active === document.body || active.closest('[role=dialog], [data-focus=kept]')) return
    if (chosen || !active.matches(TYPING)) active.blur()
  }
  // Of a list nothing more is wanted: a key that is pressed before a busy page comes to its timers is the stage's.
  if (chosen) giveBack()
  // What the click opened takes the focus first.
  setTimeout(giveBack)
}

/** Enter in a field of one line takes what was typed; then the keys are the stage's again. */
export function leaveField({ target, key }: KeyboardEvent): void {
  if (key !== 'Enter' || !(target instanceof HTMLInputElement) || target.getAttribute('role') === 'combobox' || target.closest('form, [role=dialog]')) return
  setTimeout(() => target.blur())
}
