  // ---------------------------------------------------------------- the door
  const door = {
    id,
    clock, look, run, run_actions, aim, landed, besideOption, hinders, offers, sections, survey, frames,
    isList: ({ address }) => placeOf(address)?.elements[0]?.localName === "select",
    element: (address) => placeOf(address)?.elements[0] ?? null,
    here: () => true,
    // A document may be asked while it is still arriving. *waited*: whether its load event is yet to be told to the player.
    begin: async (given) => {
      const waited = document.readyState !== "complete";
      if (waited) await new Promise((resolve) => addEventListener("load", resolve, { once: true }));
      await rest();
      const notes = noteLoad(given.notes);
      return { ...(await run(given)), waited, notes, blank: location.href === "about:blank" };
    },
    // What was sent with the last request like this.
    body: ({ method, url }) => requests.findLast((request) => request.method === method && request.url === url && !request.over)?.written ?? null,
    answer_box: (given) => { boxes.answers.push(given); },
    source: () => `<!doctype html>${document.documentElement.outerHTML}`,
    end: () => { ended = true; navigator.sendBeacon = () => true; },
    // What has happened in this document, for traces and failure reports.
    happened: () => ({ document: id, at: location.href, batches, requests: requests.filter(({ url }) => !/^(data|blob):/.test(url))
      .map(({ id, method, url, at, over, status, ended, written }) => ({ id, method, url, at, over, status, ended, body: typeof written?.body === "string" ? written.body : "" })) }),
    // What is stored of this origin; the note is our own.
    stored: () => ({ [location.origin]: Object.fromEntries(["localStorage", "sessionStorage"].map((storage) => {
      try { return [storage, Object.fromEntries(Object.entries(window[storage]).filter(([key]) => key !== NOTE))]; } catch { return [storage, {}]; }
    })) }),
    told: () => ({ warnings: [...warnings], errors: pageErrors.splice(0) }),
    roleOf, nameOf,
  };
  Object.defineProperty(window, KEY, { value: door, enumerable: false });
}
