import { shallowRef } from 'vue'
import { api, signedOut, wordsOf, type OperatorKey } from '../api/client'

const key = shallowRef<OperatorKey>()
const known = shallowRef(false) // whether anybody is signed in has been found out
const trouble = shallowRef('')

window.addEventListener(signedOut, () => (key.value = undefined)) // a key that was revoked, a session that ended

/** The operator's key that this browser is signed in with. */
export function useSession() {
  return { key, known, trouble, look, signIn, signOut }
}

async function look() {
  try {
    key.value = (await api.whoami()).key
  } catch (error) {
    trouble.value = wordsOf(error)
  }
  known.value = true
}

/** Signs in with the code of a link, or with a key. */
async function signIn(codeOrKey: string): Promise<boolean> {
  trouble.value = ''
  try {
    key.value = await api.signIn(codeOrKey)
  } catch (error) {
    trouble.value = wordsOf(error)
  }
  known.value = true
  return trouble.value === ''
}

async function signOut() {
  await api.signOut()
  window.location.assign('/') // whatever is on the page goes with it
}
