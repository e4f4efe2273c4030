// Ten tasks of somebody who has the OpenAPI document alone: done with the client that a generator
// makes of it. Each fails with what it got.
import { Api, type Operation } from "./api.js";

declare const process: { env: Record<string, string | undefined> };
const base = process.env.BASE!;
const strange = new Api<string>({ baseUrl: base });
const must = (what: string, so: boolean, got: unknown) => {
  if (!so) throw new Error(`${what}: ${JSON.stringify(got)}`);
  console.log(what);
};

const token = await strange.api.signInToken({ user_name: "marta.quill", password: process.env.PASSWORD!, label: "generated" });
must("1 sign in", token.data.secret !== undefined, token.data);
const api = new Api<string>({
  baseUrl: base,
  securityWorker: (secret) => ({ headers: { Authorization: `Bearer ${secret}` } }),
});
api.setSecurityData(token.data.secret!);

const me = await api.api.me();
must("2 who am I", me.data.user.key === "marta.quill" && me.data.may["users.create"] === true, me.data);

let count = 0;
for (let cursor: string | undefined; ; ) {
  const page = await api.api.listUsers({ unit: "marine", limit: 20, ...(cursor ? { cursor } : {}) });
  count += page.data.users.length;
  cursor = page.data.next;
  if (!cursor) {
    must("3 all users of a unit", count === page.data.total && count > 40, [count, page.data.total]);
    break;
  }
}

const one = await api.api.check({ user: "ines.halloran", application: "berth-planning", action: "read", path: "board" });
must("4 a check", one.data.allowed === true, one.data);

const many = await api.api.checks({
  checks: [
    { user: "ines.halloran", application: "berth-planning", action: "read", path: "board" },
    { nobody: true, application: "tide-board", action: "update", path: "tides" },
  ],
});
must("5 many checks", many.data.answers.length === 2 && many.data.answers[0]!.allowed && !many.data.answers[1]!.allowed, many.data);

const grant: Operation = { op: "grant", user: "ines.halloran", role: "tide-board/editor" };
const preview = await api.api.makeChange({ operations: [grant], reason: "Tides" }, { dry_run: true });
must("6 what a change would do", preview.data.dry_run === true && preview.data.preview?.users_gaining === 1, preview.data);

const headers = { "Idempotency-Key": "generated-1" };
const made = await api.api.makeChange({ operations: [grant], reason: "Tides" }, {}, { headers });
const again = await api.api.makeChange({ operations: [grant], reason: "Tides" }, {}, { headers });
must("7 a change, once", made.data.revision === again.data.revision && again.data.repeated === true, [made.data, again.data]);

const revision = await api.api.getRevision(made.data.revision);
must("8 its revision", revision.data.reason === "Tides" && revision.data.operations?.length === 1, revision.data);

const file = await api.api.getUsersFile({}, { format: "text" });
must("9 users as a file", String(file.data).startsWith("user_name,"), file.data);

const view = { label: "Crews", search: { unit: "marine" } };
await api.api.saveView("crews", view, { headers: { "If-None-Match": "*" } });
const seen = await api.api.getView("crews");
await api.api.saveView("crews", { ...view, label: "All crews" }, { headers: { "If-Match": seen.headers.get("ETag")! } });
const late = await api.api.saveView("crews", view, { headers: { "If-Match": seen.headers.get("ETag")! } }).catch((r) => r);
must("10 nothing is overwritten unseen", late.status === 412, late);
