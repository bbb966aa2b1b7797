import pg from "pg";
import {
  type CreationOptional,
  DataTypes,
  type InferAttributes,
  type InferCreationAttributes,
  Model,
  Sequelize,
} from "sequelize";
import type { Config } from "../config/config.js";
import type { Secrets } from "../config/secrets.js";
import { connectionOf, type DbRole } from "./pool.js";

/** Things people make and change go through Sequelize; records and rollups have hand-written SQL beside this file. */
export class Person extends Model<InferAttributes<Person>, InferCreationAttributes<Person>> {
  declare id: CreationOptional<number>;
  declare name: string;
  declare display: string;
  declare role: "owner" | "analyst" | "reader";
  declare passwordHash: string;
  declare mustChange: CreationOptional<boolean>;
  declare disabled: CreationOptional<boolean>;
  declare createdUs: number;
  /** Sessions begun under an earlier number are over. */
  declare sessionEpoch: CreationOptional<number>;
  /** Until when a one-time password may be used; null: the password is the person's own. */
  declare oneTimeUntilUs: CreationOptional<number | null>;
}

export class Token extends Model<InferAttributes<Token>, InferCreationAttributes<Token>> {
  declare id: CreationOptional<number>;
  declare name: string;
  declare hash: string;
  declare scope: "read" | "act" | "intake";
  declare createdUs: number;
  declare lastUsedUs: CreationOptional<number | null>;
  declare revoked: CreationOptional<boolean>;
  declare expiresUs: CreationOptional<number | null>;
}

export class SenderModel extends Model<InferAttributes<SenderModel>, InferCreationAttributes<SenderModel>> {
  declare id: CreationOptional<number>;
  declare name: string;
  declare state: "waiting" | "admitted" | "refused";
  declare relay: CreationOptional<boolean>;
  declare viaRelay: CreationOptional<number | null>;
  declare site: CreationOptional<string | null>;
  declare groups: CreationOptional<string[]>;
  declare role: CreationOptional<string | null>;
  declare tags: CreationOptional<string[]>;
  declare zone: CreationOptional<string | null>;
  declare reachedThrough: CreationOptional<number | null>;
  declare expectedEverySeconds: CreationOptional<number | null>;
  declare keepDays: CreationOptional<number | null>;
  declare notes: CreationOptional<string>;
}

export class SenderAddress extends Model<InferAttributes<SenderAddress>, InferCreationAttributes<SenderAddress>> {
  declare address: string;
  declare sender: number;
  declare position: number;
  declare sinceUs: number | null;
}

export class AdmittedNetwork extends Model<InferAttributes<AdmittedNetwork>, InferCreationAttributes<AdmittedNetwork>> {
  declare id: CreationOptional<number>;
  declare network: string;
  declare addedBy: string;
  declare addedUs: number;
}

export class Audit extends Model<InferAttributes<Audit>, InferCreationAttributes<Audit>> {
  declare id: CreationOptional<number>;
  declare atUs: number;
  declare who: string;
  declare what: string;
  declare detail: object;
}

/** The models' one connection pool, for those who only hand it on. */
export type Models = Sequelize;

/** Said rather than asked for: to ask, Sequelize opens a connection of its own at the first statement. Its types do not know the option. */
const DEBIANS = { databaseVersion: "15.0.0" };

/** One Sequelize for a process, its models bound. @param statementMs how long one statement may take; 0: as long as it likes */
export function createModels(config: Config, secrets: Partial<Secrets>, role: DbRole, statementMs = 0): Sequelize {
  const c = connectionOf(config, secrets, role);
  const sequelize = new Sequelize({
    ...DEBIANS,
    dialect: "postgres",
    dialectModule: pg,
    host: c.host,
    port: c.port,
    database: c.database,
    username: c.user as string,
    password: c.password as string,
    logging: false,
    dialectOptions: { connectionTimeoutMillis: c.connectionTimeoutMillis, statement_timeout: statementMs },
    pool: { max: 8, idle: 30_000 },
    define: { timestamps: false, underscored: true, freezeTableName: true },
  });
  // made afresh for each use: Sequelize writes the column's name into what it is given
  const id = () => ({ type: DataTypes.INTEGER, autoIncrement: true, primaryKey: true });
  const text = () => ({ type: DataTypes.TEXT, allowNull: false });
  const us = () => ({ type: DataTypes.BIGINT, allowNull: false });
  const flag = () => ({ type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false });
  Person.init(
    {
      id: id(),
      name: text(),
      display: text(),
      role: text(),
      passwordHash: text(),
      mustChange: flag(),
      disabled: flag(),
      createdUs: us(),
      sessionEpoch: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 1 },
      oneTimeUntilUs: DataTypes.BIGINT,
    },
    { sequelize, tableName: "person" },
  );
  Token.init(
    {
      id: id(),
      name: text(),
      hash: text(),
      scope: text(),
      createdUs: us(),
      lastUsedUs: DataTypes.BIGINT,
      revoked: flag(),
      expiresUs: DataTypes.BIGINT,
    },
    { sequelize, tableName: "token" },
  );
  SenderModel.init(
    {
      id: id(),
      name: text(),
      state: text(),
      relay: flag(),
      viaRelay: DataTypes.INTEGER,
      site: DataTypes.TEXT,
      groups: { type: DataTypes.ARRAY(DataTypes.TEXT), allowNull: false, defaultValue: [] },
      role: DataTypes.TEXT,
      tags: { type: DataTypes.ARRAY(DataTypes.TEXT), allowNull: false, defaultValue: [] },
      zone: DataTypes.TEXT,
      reachedThrough: DataTypes.INTEGER,
      expectedEverySeconds: DataTypes.INTEGER,
      keepDays: DataTypes.INTEGER,
      notes: { type: DataTypes.TEXT, allowNull: false, defaultValue: "" },
    },
    { sequelize, tableName: "sender" },
  );
  SenderAddress.init(
    {
      address: { type: DataTypes.INET, primaryKey: true },
      sender: DataTypes.INTEGER,
      position: DataTypes.SMALLINT,
      sinceUs: DataTypes.BIGINT,
    },
    { sequelize, tableName: "sender_address" },
  );
  AdmittedNetwork.init(
    { id: id(), network: { type: DataTypes.CIDR, allowNull: false }, addedBy: text(), addedUs: us() },
    { sequelize, tableName: "admitted_network" },
  );
  Audit.init(
    {
      id: { type: DataTypes.BIGINT, autoIncrement: true, primaryKey: true },
      atUs: us(),
      who: text(),
      what: text(),
      detail: { type: DataTypes.JSONB, allowNull: false },
    },
    { sequelize, tableName: "audit" },
  );
  return sequelize;
}
