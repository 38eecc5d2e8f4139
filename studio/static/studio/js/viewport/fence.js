// Waiting for the graphics card, or for the processor that stands in for it.

const ASK_MS = 8;

/** Wait until all that was asked for is drawn; of a lost context nothing is. */
export async function drawn(gl) {
  const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
  gl.flush();
  while (fence && !gl.isContextLost() && gl.getSyncParameter(fence, gl.SYNC_STATUS) !== gl.SIGNALED)
    await new Promise((resolve) => setTimeout(resolve, ASK_MS));
  gl.deleteSync(fence);
}
