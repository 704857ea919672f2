import { afterAll, vi } from 'vitest'

// Test files share the libraries, which takes a quarter of the time. Our own modules are loaded again by each file,
// since files replace different ones, and nothing that a browser stores is left to the next file.
vi.resetModules()
afterAll(() => globalThis.localStorage?.clear())
