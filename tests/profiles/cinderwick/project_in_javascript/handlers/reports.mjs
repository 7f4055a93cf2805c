import { cellar } from "cinderwick";

export async function nightly({ due, bell }) {
  const hours = String(Math.floor(due.minute / 60)).padStart(2, "0");
  await cellar("reports").put(`${due.day}.txt`, `${bell} at ${hours}:${String(due.minute % 60).padStart(2, "0")}\n`);
}
