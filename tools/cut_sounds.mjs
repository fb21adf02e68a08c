/**
 * Cuts a General MIDI sound bank into one small file for each instrument: src/ductus/sounds/000.sf3 to 127.sf3 by programme, and kit.sf3.
 *
 *     apt-get download fluid-soundfont-gm && dpkg -x fluid-soundfont-gm_*.deb bank
 *     (cd web && npm ci) && node tools/cut_sounds.mjs bank/usr/share/sounds/sf2/FluidR3_GM.sf2
 *
 * Samples are kept as Vorbis (quality 2, Debian's vorbis-tools); nothing of this is needed to build or run Ductus.
 */
import { spawn } from 'node:child_process'
import { readFileSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'

const web = createRequire(new URL('../web/package.json', import.meta.url))
const { BasicSoundBank, SoundBankLoader } = await import(web.resolve('spessasynth_core'))
const FOLDER = new URL('../src/ductus/sounds/', import.meta.url)
const QUALITY = '2'

/** One channel of samples as an Ogg Vorbis file. */
function vorbis(audio, rate) {
  const pcm = Buffer.alloc(audio.length * 2)
  audio.forEach((x, k) => pcm.writeInt16LE(Math.max(-32768, Math.min(32767, Math.round(x * 32767))), k * 2))
  return new Promise((resolve, reject) => {
    const child = spawn('oggenc', ['-Q', '-r', '-B', '16', '-C', '1', '-R', String(rate), '-q', QUALITY, '--serial', '1', '-o', '-', '-'])
    const out = []
    child.stdout.on('data', (chunk) => out.push(chunk))
    child.on('error', reject)
    child.on('close', (code) => (code ? reject(new Error(`oggenc ended with ${code}`)) : resolve(new Uint8Array(Buffer.concat(out)))))
    child.stdin.on('error', () => {})
    child.stdin.end(pcm)
  })
}

const bank = SoundBankLoader.fromArrayBuffer(readFileSync(process.argv[2]).buffer)
for (const preset of bank.presets.filter((p) => (p.isGMGSDrum ? p.program === 0 : p.bankMSB === 0))) {
  const part = new BasicSoundBank()
  part.addCompletePresets([preset])
  await part.setSampleFormat({ format: 'compressed', compressionFunction: vorbis })
  const name = preset.isGMGSDrum ? 'kit' : String(preset.program).padStart(3, '0')
  const file = Buffer.from(part.writeSF2({ software: 'Ductus' }))
  writeFileSync(new URL(`${name}.sf3`, FOLDER), file)
  console.log(name, preset.name, `${Math.round(file.length / 1024)} kB`)
}
