// Talks with the server. Every answer that is not good becomes an ApiError with words for people.

import { readPacket, readStream } from "./lib/packet.js";

export class ApiError extends Error {
  constructor(status, answer) {
    const problems = answer?.problems ?? [];
    super(
      problems.length
        ? problems.map((problem) => `${problem.where ? `${problem.where}: ` : ""}${problem.message}`).join("\n")
        : (answer?.message ?? detail(answer) ?? `The server answered ${status}.`),
    );
    this.status = status;
    this.answer = answer;
  }
}

/** Whether an answer says nothing of what was asked, so that it is worth asking again. */
export const isPassing = (status) => [0, 408, 429, 502, 503, 504].includes(status);

/** Ask again and again while the server is away or busy; `onWait` is told of each time, with words. */
export async function untilAnswered(ask, onWait, wait = 2000) {
  for (;;) {
    try {
      return await ask();
    } catch (error) {
      if (!(error instanceof ApiError) || !isPassing(error.status)) throw error;
      onWait(error.message);
      await new Promise((resolve) => setTimeout(resolve, wait));
    }
  }
}

function detail(answer) {
  if (!Array.isArray(answer?.detail)) return answer?.detail;
  return answer.detail.map((item) => `${item.loc?.at(-1) ?? ""}: ${item.msg}`).join("\n");
}

function cookie(name) {
  return (
    document.cookie
      .split("; ")
      .find((part) => part.startsWith(`${name}=`))
      ?.slice(name.length + 1) ?? ""
  );
}

async function request(method, path, body, signal) {
  let response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      signal,
      // A form says itself what it is.
      headers: {
        ...(body instanceof FormData ? {} : { "Content-Type": "application/json" }),
        "X-CSRFToken": cookie("csrftoken"),
      },
      body: body === undefined || body instanceof FormData ? body : JSON.stringify(body),
    });
  } catch (error) {
    if (error.name === "AbortError") throw error;
    if (error.name === "TimeoutError")
      throw new ApiError(0, { message: "The server does not answer. Nothing is lost; it will be tried again." });
    throw new ApiError(0, { message: "The server cannot be reached. Nothing is lost; it will be tried again." });
  }
  if (!response.ok) throw new ApiError(response.status, await response.json().catch(() => null));
  return response;
}

export const getJson = async (path) => (await request("GET", path)).json();
export const postJson = async (path, body) => (await request("POST", path, body ?? {})).json();

/** Post and return what a packet's bytes hold; without a picture ({header, buffers: null}) if it was not wanted any more. */
export async function postForPacket(path, body, signal) {
  const response = await request("POST", path, body, signal);
  if (response.headers.get("Content-Type").startsWith("application/json"))
    return { header: await response.json(), buffers: null };
  return readPacket(await response.arrayBuffer());
}

export async function postForBlob(path, body, signal) {
  return (await request("POST", path, body, signal)).blob();
}

/** Upload a file; returns the answer. */
export async function postFile(path, file) {
  const form = new FormData();
  form.append("file", file);
  const response = await request("POST", path, form);
  return response.json();
}

/** Post and hand over each packet of the answer as it arrives. */
export async function postForStream(path, body, signal, onPacket, onProblem) {
  const response = await request("POST", path, body, signal);
  await readStream(response.body, onPacket, onProblem);
}
