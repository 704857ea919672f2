import { onScopeDispose, ref } from 'vue'
import { serverAddress } from '../api/address'

/** A note from the server that a thing has changed; noun "everything" where notes may have been missed. `thing` is how it is now, where the note says so. */
export interface Note {
  noun: 'host' | 'job' | 'log' | 'paddock' | 'pass' | 'bring-up' | 'guessing' | 'access' | 'finding' | 'notification rule' | 'kit' | 'catalogue' | 'trial' | 'source' | 'folders' | 'chore' | 'maintenance window' | 'person' | 'sign-on' | 'backup' | 'retention' | 'rollout' | 'rehearsal' | 'standby policy' | 'everything'
  name: string
  number?: number
  thing?: Record<string, unknown> | null
}

type Listener = (note: Note) => void

const listeners = new Set<Listener>()
/** Whether notes arrive now. */
export const isLive = ref(false)
/** Counts how often the server ended the feed because the session had ended. */
export const shutOuts = ref(0)
const NOT_LOGGED_IN = 4401

const LONGEST_WAIT = 15_000
let socket: WebSocket | null = null
let wait = 500
let wanted = false
/** The start of the server and the number of the last note: what comes after it is asked for at the next connection. */
let last = { start: '', number: 0 }

function hear(note: Note & { start?: string }): void {
  last = { start: note.start ?? last.start, number: note.number ?? last.number }
  if ((note.noun as string) !== 'caught up') tell(note)
}

function tell(note: Note): void {
  for (const listener of listeners) listener(note)
}

function connect(): void {
  if (!wanted) return
  socket = new WebSocket(`${serverAddress.replace(/^http/, 'ws')}/api/v1/feed/?start=${last.start}&number=${last.number}`)
  socket.onopen = () => {
    isLive.value = true
    wait = 500
  }
  socket.onmessage = (event) => hear(JSON.parse(event.data as string) as Note)
  socket.onclose = (event) => {
    isLive.value = false
    if (event.code === NOT_LOGGED_IN && wanted) {
      wanted = false
      shutOuts.value += 1
      return
    }
    if (wanted) setTimeout(connect, wait * (0.5 + Math.random() / 2))
    wait = Math.min(LONGEST_WAIT, wait * 2)
  }
}

export function openFeed(): void {
  if (wanted) return
  wanted = true
  last = { start: '', number: 0 } // another person may see other things
  connect()
}

export function closeFeed(): void {
  wanted = false
  socket?.close()
}

/** Calls `listener` for every note, as long as the component that asked lives. */
export function onNote(listener: Listener): void {
  listeners.add(listener)
  onScopeDispose(() => listeners.delete(listener))
}

/** A function that runs `work` soon: many calls in a row make one run, and one more if calls came while it ran. */
export function gathered(work: () => Promise<void>, delay = 150): () => void {
  let timer: ReturnType<typeof setTimeout> | undefined
  let isRunning = false
  let isWanted = false
  async function run(): Promise<void> {
    timer = undefined
    if (isRunning) {
      isWanted = true
      return
    }
    isRunning = true
    try {
      await work()
    } finally {
      isRunning = false
      if (isWanted) {
        isWanted = false
        start()
      }
    }
  }
  function start(): void {
    timer ??= setTimeout(() => void run(), delay)
  }
  return start
}
