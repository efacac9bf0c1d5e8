/**
 * Frames of one page that are shown to the same viewer share one stream of changes: one of them has it for all, and
 * the page passes on which widgets have changed, and nothing of what they show.
 */

/** @typedef {import("./connection.js").Connection} Connection */

/** @typedef {{key: unknown[], members: Map<Connection, string>, leader: Connection | null, led: string}} Group */

/** @type {Group[]} */
const groups = [];

/** @param {Connection} of @returns {Group | undefined} */
const groupOf = (of) => groups.find((g) => g.members.has(of));

/** A frame wants to hear of a dashboard's changes, or, told "", of none. @param {Connection} who @param {string} dashboard */
export function follow(who, dashboard) {
  const key = [who.origin, who.how.app, who.how.source];
  let group = groupOf(who) ?? groups.find((g) => g.key.every((part, i) => part === key[i]));
  if (!group && !dashboard) return;
  if (!group) groups.push(group = { key, members: new Map(), leader: null, led: "" });
  if (dashboard) group.members.set(who, dashboard);
  else group.members.delete(who);
  lead(group);
}

/** Has one of a group lead it. @param {Group} group */
function lead(group) {
  const { members } = group;
  if (group.leader && !members.has(group.leader)) {
    group.leader.say({ say: "lead", dashboards: [], anew: false });
    group.leader = null;
  }
  if (members.size === 0) {
    groups.splice(groups.indexOf(group), 1);
    return;
  }
  const dashboards = [...new Set(members.values())].sort(), led = JSON.stringify(dashboards);
  const leader = group.leader ?? /** @type {Connection} */ (members.keys().next().value);
  if (leader === group.leader && led === group.led) return;
  leader.say({ say: "lead", dashboards, anew: group.led !== "" });
  Object.assign(group, { leader, led });
}

/** Passes on what the leader has heard. @param {Connection} from @param {import("./messages.js").ToFrame & {say: "changed" | "again"}} message */
export function passOn(from, message) {
  const group = groupOf(from);
  if (group?.leader !== from) return;
  for (const [member, dashboard] of group.members) {
    if (member !== from && (message.say === "again" || message.dashboard === dashboard)) member.say(message);
  }
}
