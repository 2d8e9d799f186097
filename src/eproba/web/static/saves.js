// What a form sends while it is typed: one after the other, each over the version of the step that the one before left.
"use strict";

const SAVES_PATIENCE = 5000; // ms that a button waits for what is on its way

const Saves = {
  underWay: 0,
  last: Promise.resolve(),

  // The answer to a form that is sent when its turn has come; null where it is no more asked for by then.
  async inTurn(form, address, isAsked, submitter = null) {
    this.underWay += 1;
    const answer = this.last.then(() => (isAsked() ? this.send(form, address, submitter) : null));
    this.last = answer.catch(() => null).finally(() => {
      this.underWay -= 1;
    });
    return answer;
  },
  async send(form, address, submitter) {
    const body = new FormData(form, submitter);
    if (form.dataset.token) body.set("csrf_token", form.dataset.token); // a form that is read by GET bears none
    const answer = await fetch(address, { method: "POST", body, credentials: "same-origin" });
    const version = answer.headers.get("X-Step-Version");
    if (answer.ok && version) {
      // What was saved on the way is not somebody else's, neither for the sheet nor for a fold of it.
      for (const seen of document.querySelectorAll("input[name=seen]")) seen.value = version;
    }
    return answer;
  },
  // A form goes over what was saved on the way, or its own save would count as another window's.
  goesAfter(form) {
    let going = ""; // soon: it waits for what is on its way; now: it goes
    form.addEventListener("submit", async (event) => {
      if (going === "now" || this.underWay === 0) return;
      event.preventDefault();
      if (going === "soon") return;
      going = "soon";
      await this.settled();
      going = "now";
      form.requestSubmit(this.stillThere(form, event.submitter));
    });
  },
  // What was pressed may have been drawn anew meanwhile: then its like is pressed.
  stillThere(form, pressed) {
    if (!pressed || pressed.form === form) return pressed;
    return [...form.elements].find((button) => button.name === pressed.name && button.value === pressed.value);
  },
  settled() {
    return Promise.race([this.last, new Promise((done) => setTimeout(done, SAVES_PATIENCE))]);
  },
};
