/** Where the server's addresses begin behind the origin: "" or a path such as "/builds". The server writes it into the page. */
export const serverPath = document.querySelector<HTMLMetaElement>('meta[name="server-path"]')?.content ?? ''

/** The server's address for people and programs elsewhere, without a slash at its end. */
export const serverAddress = `${window.location.origin}${serverPath}`

/** A link to something of this server that is not a screen, such as a download. */
export function linkTo(path: string): string {
  return `${serverPath}${path}`
}
