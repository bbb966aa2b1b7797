export { fillSentence, sentenceNames } from "./fill-sentence.js";
export {
  MEANING_KINDS,
  type Meaning,
  type MeaningKind,
  type OwnMeaning,
  SEVERITY_ROWS,
  type SeverityRow,
} from "./meaning.js";
export { Meanings } from "./meanings.js";
export { type LinkRecord, type OutageEnd, outages } from "./outages.js";
export { PhraseTable } from "./phrase-table.js";
export { SNMP_MEANINGS } from "./snmp-meanings.js";
export { phraseCode, readPhraseCode, SYSLOG_PHRASES, type SyslogPhrase } from "./syslog-phrases.js";
export { FAILURE_CODES, KERBEROS_CODES, LOGON_TYPES } from "./windows-codes.js";
export { WINDOWS_MEANINGS } from "./windows-dictionary.js";
