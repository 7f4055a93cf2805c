import { Drained } from "dunmarsh";

export async function summed(marsh) {
  const { blob } = marsh.input;
  const name = blob.name.join("/");
  try {
    const data = await marsh.silo(blob.silo).fetch(name);
    const total = data.toString().trim().split("\n").slice(1).reduce((sum, line) => sum + Number(line.split(",")[1]), 0);
    await marsh.silo("sums").fill(`${name}.json`, JSON.stringify({ total, kib: blob.kib }), { kind: "application/json" });
  } catch (error) {
    if (!(error instanceof Drained)) throw error;
    marsh.croak(`${name} is gone`);
  }
}
