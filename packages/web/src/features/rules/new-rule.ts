/** What the editor of a new rule begins with. */
export const NEW_RULE = `id: my-rule
name: A rule of my own
kind: count
severity: warning
filter: severity at least error
key:
  - sender
count: 10
windowSeconds: 300
title: "{count} errors on {sender}"
clear:
  by: quiet
  seconds: 900
reason: ""
tests:
  - name: ten errors within five minutes
    raises: 1
    records:
      - { at: 0, times: 10, every: 20, syslog: "<11>app: it does not work" }
  - name: nine of them
    raises: 0
    records:
      - { at: 0, times: 9, every: 20, syslog: "<11>app: it does not work" }
`;
