const AGAIN_MS = 200;

/** Does something after a while in which nobody holds anything: what comes may move what is under the pointer. Gives what calls it off. */
export function whenCalm(act: () => void, after: number): () => void {
  let timer = window.setTimeout(look, after);
  function look() {
    if (document.querySelector(":active")) timer = window.setTimeout(look, AGAIN_MS);
    else act();
  }
  return () => window.clearTimeout(timer);
}
