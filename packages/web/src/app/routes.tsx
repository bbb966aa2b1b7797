import { createBrowserRouter, redirect } from "react-router";
import { Crashed } from "./crashed";
import { Frame } from "./frame";

/** Each section is loaded when it is first opened. */
export const router = createBrowserRouter([
  {
    // for whoever was mailed, signed in or not
    path: "/acknowledge",
    errorElement: <Crashed />,
    HydrateFallback: () => null,
    lazy: async () => ({ Component: (await import("../features/notify/acknowledge-page")).AcknowledgePage }),
  },
  {
    // a screen on the wall signs itself in by its token
    path: "/wall",
    errorElement: <Crashed />,
    HydrateFallback: () => null,
    lazy: async () => ({ Component: (await import("../features/boards/wall-page")).WallPage }),
  },
  {
    path: "/",
    element: <Frame />,
    errorElement: <Crashed />,
    // the frame waits for the first section without a word
    HydrateFallback: () => null,
    children: [
      {
        // the frame stays around a page that fails
        errorElement: <Crashed />,
        children: [
          { index: true, loader: () => redirect("/now") },
          { path: "now", lazy: async () => ({ Component: (await import("../features/boards/now-page")).NowPage }) },
          {
            path: "records",
            lazy: async () => ({ Component: (await import("../features/records/records-page")).RecordsPage }),
          },
          {
            path: "incidents",
            lazy: async () => ({ Component: (await import("../features/incidents/incidents-page")).IncidentsPage }),
          },
          {
            path: "incidents/:id",
            lazy: async () => ({ Component: (await import("../features/incidents/incident-page")).IncidentPage }),
          },
          {
            path: "investigations",
            lazy: async () => ({ Component: (await import("../features/papers/papers-page")).PapersPage }),
          },
          {
            path: "investigations/:id",
            lazy: async () => ({ Component: (await import("../features/papers/paper-page")).PaperPage }),
          },
          {
            path: "traffic",
            lazy: async () => ({ Component: (await import("../features/traffic/traffic-page")).TrafficPage }),
          },
          {
            path: "traffic/policy",
            lazy: async () => ({ Component: (await import("../features/traffic/policy-page")).PolicyPage }),
          },
          {
            path: "traffic/answers",
            lazy: async () => ({ Component: (await import("../features/traffic/answers-page")).AnswersPage }),
          },
          {
            path: "traffic/now",
            lazy: async () => ({ Component: (await import("../features/traffic/now-page")).TrafficNowPage }),
          },
          {
            path: "traffic/portrait",
            lazy: async () => ({ Component: (await import("../features/traffic/portrait-page")).PortraitPage }),
          },
          {
            path: "reports",
            lazy: async () => ({ Component: (await import("../features/reports/reports-page")).ReportsPage }),
          },
          {
            path: "reports/limits",
            lazy: async () => ({ Component: (await import("../features/reports/limits-page")).LimitsPage }),
          },
          {
            path: "reports/new",
            lazy: async () => ({ Component: (await import("../features/reports/edit-page")).NewReportPage }),
          },
          {
            path: "reports/ready/:name",
            lazy: async () => ({ Component: (await import("../features/reports/report-page")).ReadyReportPage }),
          },
          {
            path: "reports/:id",
            lazy: async () => ({ Component: (await import("../features/reports/report-page")).ReportPage }),
          },
          {
            path: "reports/:id/outputs/:run",
            lazy: async () => ({ Component: (await import("../features/reports/output-page")).OutputPage }),
          },
          {
            path: "reports/:id/edit",
            lazy: async () => ({ Component: (await import("../features/reports/edit-page")).EditReportPage }),
          },
          {
            path: "reports/boards",
            lazy: async () => ({ Component: (await import("../features/boards/boards-page")).BoardsPage }),
          },
          {
            path: "reports/boards/new",
            lazy: async () => ({ Component: (await import("../features/boards/board-page")).NewBoardPage }),
          },
          {
            path: "reports/boards/now/edit",
            lazy: async () => ({ Component: (await import("../features/boards/board-page")).EditNowPage }),
          },
          {
            path: "reports/boards/ready/:name",
            lazy: async () => ({ Component: (await import("../features/boards/board-page")).ReadyBoardPage }),
          },
          {
            path: "reports/boards/:id",
            lazy: async () => ({ Component: (await import("../features/boards/board-page")).BoardPage }),
          },
          {
            path: "reports/boards/:id/edit",
            lazy: async () => ({ Component: (await import("../features/boards/board-page")).EditBoardPage }),
          },
          {
            path: "rules",
            lazy: async () => ({ Component: (await import("../features/rules/rules-page")).RulesPage }),
          },
          {
            path: "techniques",
            lazy: async () => ({ Component: (await import("../features/rules/blind-map")).BlindMapPage }),
          },
          {
            path: "rules/:id",
            lazy: async () => ({ Component: (await import("../features/rules/rule-page")).RulePage }),
          },
          {
            path: "intake",
            lazy: async () => ({ Component: (await import("../features/intake/intake-page")).IntakePage }),
          },
          {
            path: "intake/senders/:id",
            lazy: async () => ({ Component: (await import("../features/intake/sender-page")).SenderPage }),
          },
          {
            path: "intake/arrival",
            lazy: async () => ({ Component: (await import("../features/intake/arrival-page")).ArrivalPage }),
          },
          {
            path: "intake/formats",
            lazy: async () => ({ Component: (await import("../features/formats/formats-page")).FormatsPage }),
          },
          {
            path: "intake/forwards",
            lazy: async () => ({ Component: (await import("../features/forwards/forwards-page")).ForwardsPage }),
          },
          {
            path: "intake/trace",
            lazy: async () => ({ Component: (await import("../features/trace/trace-page")).TracePage }),
          },
          {
            path: "intake/plan",
            lazy: async () => ({ Component: (await import("../features/intake/plan-page")).PlanPage }),
          },
          {
            path: "intake/names",
            lazy: async () => ({ Component: (await import("../features/intake/names-page")).NamesPage }),
          },
          {
            path: "lists",
            lazy: async () => ({ Component: (await import("../features/lists/lists-page")).ListsPage }),
          },
          { path: "load", lazy: async () => ({ Component: (await import("../features/load/load-page")).LoadPage }) },
          {
            path: "notify",
            lazy: async () => ({ Component: (await import("../features/notify/notify-page")).NotifyPage }),
          },
          ...(import.meta.env.DEV
            ? [{ path: "kit", lazy: async () => ({ Component: (await import("./kit-page")).KitPage }) }]
            : []),
          { path: "*", lazy: async () => ({ Component: (await import("./not-found")).NotFound }) },
        ],
      },
    ],
  },
]);
