export { fillSentence, sentenceNames } from "./fill-sentence.js";
export {
  type Meaning,
  type OwnMeaning,
  SEVERITY_ROWS,
  type SeverityRow,
} from "./meaning.js";
export { Meanings } from "./meanings.js";
export { type OutageEnd, outages } from "./outages.js";
export { PhraseTable } from "./phrase-table.js";
export { SNMP_MEANINGS } from "./snmp-meanings.js";
export { phraseCode, readPhraseCode, SYSLOG_PHRASES } from "./syslog-phrases.js";
export { FAILURE_CODES, KERBEROS_CODES, LOGON_TYPES } from "./windows-codes.js";
export { WINDOWS_MEANINGS } from "./windows-dictionary.js";
