import { shallowRef } from 'vue'
import { api, Problem, wordsOf, type Outline } from '../api/client'

const outline = shallowRef<Outline>()
const missing = shallowRef('')
let asked: Promise<void> | undefined

/** The design in force, read once for all pages. */
export function useOutline() {
  asked ??= load()
  return { outline, missing, ready: asked }
}

/** Reads it again, after another design was put in force. */
export async function renewOutline() {
  asked = load()
  await asked
}

async function load() {
  try {
    outline.value = await api.outline()
  } catch (error) {
    missing.value = error instanceof Problem && error.code === 'no-design'
      ? 'No design has been applied yet. Run `yalvo apply FILE`, then reload.'
      : wordsOf(error)
    asked = undefined
  }
}
