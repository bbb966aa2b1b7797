// apart, so that it is loaded when a mail is to be read
export { simpleParser } from "mailparser";
