/** Samples at 48 kHz of an Opus packet, told by its first bytes (RFC 6716, 3.1). */
export function opusSamples(packet: Uint8Array): number {
  if (packet.length === 0) return 0;
  const config = packet[0] >> 3;
  const frame = config < 12 ? [480, 960, 1920, 2880][config & 3] : config < 16 ? [480, 960][config & 1] : [120, 240, 480, 960][config & 3];
  const code = packet[0] & 3;
  return frame * (code === 0 ? 1 : code < 3 ? 2 : (packet[1] ?? 0) & 63);
}
