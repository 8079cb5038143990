// Events as recordings: a line by an instrument made by code or by a sampled one, several parts by sampled ones.
import { struckLine, sustainedLine, type ScoreNote } from './line'
import { merged, recorded } from './pieces'
import { playedAlone, rendered, type Event } from './sampler'
import type { Piece } from './types'

const RATE = 44100

export const LINE_VOICES = ['string', 'keys', 'flute', 'reed'] as const
export type LineVoice = (typeof LINE_VOICES)[number] | 'bass'

export type Played = Pick<Piece, 'kind' | 'channels' | 'onsets' | 'notes' | 'pitch'>

/** What channel 0 has, as one line: a note ends where the next begins. */
export function byCode(events: readonly Event[], voice: LineVoice, seed: number): Played {
  const line = events.filter((e) => e.channel === 0)
  const score: ScoreNote[] = line.map((e, i) => ({
    ...e,
    end: Math.min(e.end, (line[i + 1]?.start ?? Infinity) - 0.01),
  }))
  const seconds = score[score.length - 1]!.end + 0.5
  const manner = { legato: 0.3, vibrato: 10, speed: 5, intonation: 5, tremolo: 0.05 }
  const struck = voice === 'string' || voice === 'keys' || voice === 'bass'
  const play = struck
    ? struckLine(score, voice, seconds, RATE, seed)
    : sustainedLine(score, voice, manner, seconds, RATE, seed)
  return {
    kind: struck ? 'plucked' : 'soft',
    channels: recorded(play.sound, { reverb: 0.05, hiss: -70 }, false, seed),
    onsets: play.notes.map((n) => n.start),
    notes: play.notes,
    pitch: play.pitch,
  }
}

/** Everything, by sampled instruments. @param programs General MIDI programs by channel */
export function bySamples(events: readonly Event[], programs: ReadonlyMap<number, number>): Played {
  const alone = playedAlone(events, programs)
  return {
    kind: 'mix',
    channels: rendered(events, programs, true),
    onsets: merged(events.map((e) => e.start + alone(e).lag)),
  }
}
