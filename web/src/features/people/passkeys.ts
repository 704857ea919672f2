/** Passkeys in the browser. The server speaks JSON, as WebAuthn level 3 has it; the bytes in it are base64url. */
type Json = Record<string, unknown>

const bytes = (text: unknown): ArrayBuffer => {
  const plain = atob(String(text).replace(/-/g, '+').replace(/_/g, '/'))
  return Uint8Array.from(plain, (one) => one.charCodeAt(0)).buffer
}
const text = (data: ArrayBuffer | null): string | undefined => (data === null ? undefined : btoa(String.fromCharCode(...new Uint8Array(data))).replace(/\+/g, '-').replace(/\//g, '_').replace(/=+$/, ''))
const described = (list: unknown) => ((list as Json[] | undefined) ?? []).map((one) => ({ ...one, id: bytes(one.id) }))

/** Why this page cannot use passkeys; empty where it can. */
export function passkeyObstacle(): string {
  if (!window.isSecureContext) return 'Browsers use passkeys over HTTPS alone, or on this machine itself.'
  if (!('credentials' in navigator) || !('PublicKeyCredential' in window)) return 'This browser has no passkeys.'
  if (/^[\d.]+$|:/.test(window.location.hostname)) return 'Browsers use passkeys with names, not with IP addresses. Open this page by the name of the server.'
  return ''
}

/** Makes a passkey. Throws where the person cancels. */
export async function makePasskey(options: Json): Promise<Json> {
  const user = options.user as Json
  const publicKey = { ...options, challenge: bytes(options.challenge), user: { ...user, id: bytes(user.id) }, excludeCredentials: described(options.excludeCredentials) }
  const made = (await ask(() => navigator.credentials.create({ publicKey: publicKey as unknown as PublicKeyCredentialCreationOptions }))) as PublicKeyCredential
  const answer = made.response as AuthenticatorAttestationResponse
  return { id: made.id, rawId: text(made.rawId), type: made.type, response: { clientDataJSON: text(answer.clientDataJSON), attestationObject: text(answer.attestationObject) } }
}

/** Uses one. Throws where the person cancels. */
export async function usePasskey(options: Json): Promise<Json> {
  const publicKey = { ...options, challenge: bytes(options.challenge), allowCredentials: described(options.allowCredentials) }
  const used = (await ask(() => navigator.credentials.get({ publicKey: publicKey as unknown as PublicKeyCredentialRequestOptions }))) as PublicKeyCredential
  const answer = used.response as AuthenticatorAssertionResponse
  return {
    id: used.id,
    rawId: text(used.rawId),
    type: used.type,
    response: { clientDataJSON: text(answer.clientDataJSON), authenticatorData: text(answer.authenticatorData), signature: text(answer.signature), userHandle: text(answer.userHandle) },
  }
}

async function ask(work: () => Promise<Credential | null>): Promise<Credential> {
  let found: Credential | null = null
  try {
    found = await work()
  } catch (error) {
    if ((error as Error).name === 'InvalidStateError') throw new Error('This device has a passkey of yours already.')
  }
  if (!found) throw new Error('No passkey was used: it was cancelled, or took too long.')
  return found
}
