export async function nightly(marsh) {
  const [day, clock] = marsh.input.local.split("T");
  await marsh.silo("reports").fill(`${day}.txt`, `${marsh.input.name} at ${clock} in ${marsh.input.zone}\n`);
}
