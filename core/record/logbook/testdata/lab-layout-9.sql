CREATE ROLE lab_keeper NOLOGIN;
CREATE ROLE lab_bench NOLOGIN;
CREATE ROLE lab_reader NOLOGIN;
CREATE DATABASE lab OWNER lab_keeper;
REVOKE CONNECT ON DATABASE lab FROM PUBLIC;
GRANT CONNECT ON DATABASE lab TO lab_keeper, lab_bench, lab_reader;
\connect lab
REVOKE ALL ON SCHEMA public FROM PUBLIC;
GRANT ALL ON SCHEMA public TO lab_keeper;
GRANT USAGE ON SCHEMA public TO lab_bench, lab_reader;
ALTER DEFAULT PRIVILEGES FOR ROLE lab_keeper IN SCHEMA public GRANT SELECT ON TABLES TO lab_reader;
ALTER DEFAULT PRIVILEGES FOR ROLE lab_keeper IN SCHEMA public
    GRANT SELECT, INSERT, UPDATE, DELETE ON TABLES TO lab_bench;

-- An account for each bench, and for each person. Keepers act as the role that owns the tables.
CREATE ROLE "bench-1" LOGIN IN ROLE lab_bench;
CREATE ROLE "bench-2" LOGIN IN ROLE lab_bench;
CREATE ROLE ada LOGIN IN ROLE lab_keeper;
ALTER ROLE ada IN DATABASE lab SET role = lab_keeper;
CREATE ROLE visitor LOGIN IN ROLE lab_reader;
