export { ApiError, EntityId, RecordId, TimeText } from "./common.js";
export {
  Acknowledge,
  CloseIncident,
  IncidentDetail,
  IncidentJson,
  IncidentList,
  IncidentQuery,
  Note,
} from "./incidents.js";
export { HistogramAnswer, HistogramQuery, RecordDetail, RecordJson, RecordPage, RecordQuery } from "./records.js";
export { AdmitNetwork, SenderChange, SenderFacts, SenderJson, SenderList } from "./senders.js";
export { Health, Intake, Job, NewPassword, RuleList, Session, SignIn, Summary } from "./status.js";
