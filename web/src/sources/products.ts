/** What the kinds of sources are called. */
export const products: Record<string, string> = { postgresql: 'PostgreSQL', mariadb: 'MariaDB', sqlite: 'SQLite', parquet: 'Parquet', csv: 'CSV', json: 'JSON', xml: 'XML', document: 'Documents' }
