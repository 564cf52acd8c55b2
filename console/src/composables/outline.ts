import { shallowRef } from 'vue'
import { api, Problem, wordsOf, type Outline } from '../api/client'

const outline = shallowRef<Outline>()
const missing = shallowRef('')
let asked: Promise<void> | undefined

/** The design in force as far as it is known, which is asked for by whoever is signed in. */
export function outlineSoFar() {
  return { outline, missing }
}

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
    missing.value = ''
  } catch (error) {
    missing.value =
      error instanceof Problem && error.code === 'no-design'
        ? 'No design has been applied yet. Run `yalvo apply FILE`, then reload.'
        : wordsOf(error)
    asked = undefined
  }
}
